import { api, ask } from "./client";

const PROMPT_MS = 4_000;
const AWAY = "The server does not answer. When it is back, press again.";

/**
 * What a signature waits for has to come while the one who pressed still means it. A server that was away carries out what it
 * finds waiting on its return, long after: so it is asked for a sign of life right before, and a late answer is none.
 */
export function promptly<T>(work: Promise<T>): Promise<T> {
  return new Promise((resolve, reject) => {
    const timer = window.setTimeout(() => reject(new Error(AWAY)), PROMPT_MS);
    work.then(resolve, reject).finally(() => window.clearTimeout(timer));
  });
}

export const alive = () => promptly(ask(api.GET("/api/state")));
