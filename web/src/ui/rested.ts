import { useEffect, useState } from "react";

/** Words that are typed are asked for when typing rests. */
export const TYPING_RESTS_MS = 150;

/** A value that follows once it has rested: what is dragged or typed asks the server a few times, not at each step. */
export function useRested<T>(value: T, afterMs: number): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), afterMs);
    return () => clearTimeout(timer);
  }, [value, afterMs]);
  // Starting over is no change that has to rest, and nothing of before may come back after it.
  if (value === undefined && rested !== undefined) setRested(undefined as T);
  return value === undefined ? value : rested;
}
