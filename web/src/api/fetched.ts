import { api, ask } from "./client";

const AGAIN_MS = 1_500;
const TRIES = 3;
const PAUSE_MS = 400;

const RELOADED = "kumpel.reloaded";
/** A page that was loaded anew so lately is not once more: then it is left to the screen to say. */
const ONCE_IN_MS = 60_000;

const pause = (ms: number) => new Promise((done) => window.setTimeout(done, ms));

/** Waits until the server answers again. */
async function answered(): Promise<void> {
  for (;;) {
    try {
      await ask(api.GET("/api/state"));
      return;
    } catch {
      await pause(AGAIN_MS);
    }
  }
}

/**
 * Some browsers remember for good that a module could not be had. Their error names its address; under another one it is fetched anew.
 * What it shares with the rest of the page are modules of their own, which keep theirs.
 */
async function underAnotherAddress<T>(error: unknown, tries = TRIES): Promise<T> {
  const address = /https?:\/\/[^\s?]+\.js/.exec(error instanceof Error ? error.message : "")?.[0];
  if (!address?.startsWith(window.location.origin)) throw error;
  try {
    return (await import(/* @vite-ignore */ `${address}?again=${Date.now()}`)) as T;
  } catch (still) {
    if (tries <= 1) return loadedAnew(still);
    // It may have gone once more meanwhile.
    await answered();
    await pause(PAUSE_MS);
    return underAnotherAddress<T>(still, tries - 1);
  }
}

/** What the part shares with others may be what is remembered as failed: only a page that is loaded anew asks for it again. */
async function loadedAnew(error: unknown): Promise<never> {
  if (Date.now() - Number(sessionStorage.getItem(RELOADED) ?? 0) < ONCE_IN_MS) throw error;
  await answered();
  sessionStorage.setItem(RELOADED, String(Date.now()));
  window.location.reload();
  return new Promise(() => {});
}

/**
 * A part of the page that is fetched when it is first needed. A server that went away in between is waited for;
 * what a server that answers does not have (a newer version runs by now) is left to the screen to say.
 */
export function fetched<T>(load: () => Promise<T>): () => Promise<T> {
  const again = (tries: number): Promise<T> =>
    load().catch(async (error) => {
      if (tries <= 1) return underAnotherAddress<T>(error);
      await answered();
      if (tries < TRIES) await pause(PAUSE_MS);
      return again(tries - 1);
    });
  return () => again(TRIES);
}

/** Fetched ahead of its first use: what fails now is said when it is needed. */
export const ahead = (load: () => Promise<unknown>) => void load().catch(() => {});
