import { api, ask } from "./client";

const AGAIN_MS = 1_500;

/** Waits until the server answers again. */
async function answered(): Promise<void> {
  for (;;) {
    try {
      await ask(api.GET("/api/state"));
      return;
    } catch {
      await new Promise((done) => window.setTimeout(done, AGAIN_MS));
    }
  }
}

/**
 * A part of the page that is fetched when it is first needed. A server that went away in between is waited for;
 * what a server that answers does not have (a newer version runs by now) is left to the screen to say.
 */
export function fetched<T>(load: () => Promise<T>): () => Promise<T> {
  return () => load().catch(() => answered().then(load));
}

/** Fetched ahead of its first use: what fails now is said when it is needed. */
export const ahead = (load: () => Promise<unknown>) => void load().catch(() => {});
