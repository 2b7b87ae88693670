import { type KeyboardEvent, type RefObject, useCallback, useEffect, useLayoutEffect, useRef } from "react";
import { onLook } from "../drawing";
import { clamped } from "./gestures";
import type { TimeGestures } from "./types";

/** Paints a picture on canvases in the next frame: after every render, when its place or the look changes, and when asked to. */
export function usePainted(box: RefObject<HTMLElement | null>, paint: () => void): () => void {
  const latest = useRef(paint);
  latest.current = paint;
  const frame = useRef(0);
  const repaint = useCallback(() => {
    cancelAnimationFrame(frame.current);
    frame.current = requestAnimationFrame(() => latest.current());
  }, []);
  useLayoutEffect(repaint);
  useEffect(() => {
    const watch = new ResizeObserver(repaint);
    if (box.current) watch.observe(box.current);
    document.fonts?.ready.then(repaint);
    const release = onLook(repaint);
    return () => {
      watch.disconnect();
      release();
    };
  }, [box, repaint]);
  return repaint;
}

/** Plus and minus zoom a time axis, the arrows move it, 0 shows everything. */
export const timeKeys =
  ({ span: [from, to], whole, onSpan, shortestS }: Pick<TimeGestures, "span" | "whole" | "onSpan" | "shortestS">) =>
  (event: KeyboardEvent) => {
    const zoom = (factor: number) => {
      const [middle, half] = [(from + to) / 2, ((to - from) / 2) * factor];
      onSpan(clamped(middle - half, middle + half, whole, shortestS));
    };
    const pan = (share: number) => {
      const by = (to - from) * share;
      onSpan(clamped(from + by, to + by, whole, shortestS));
    };
    if (event.key === "+" || event.key === "=") zoom(0.6);
    else if (event.key === "-") zoom(1.6);
    else if (event.key === "ArrowLeft") pan(-0.2);
    else if (event.key === "ArrowRight") pan(0.2);
    else if (event.key === "0" || event.key === "Home") onSpan(whole);
    else return;
    event.preventDefault();
  };
