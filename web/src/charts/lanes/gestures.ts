import { type RefObject, useEffect } from "react";
import { twoFingers } from "../fingers";
import { LEFT, ROW } from "./measures";
import { stacksOf } from "./stacks";
import type { Edge, TimeGestures } from "./types";

/** The canvases that gestures are measured on. */
interface Places {
  marks: HTMLCanvasElement | null;
  lanes: HTMLCanvasElement | null;
}

const SHORTEST_S = 1;
const REACH = { mouse: 6, touch: 18 };

/** The lowest and highest of a span that a gesture may lead to. */
export function clamped(from: number, to: number, [a, b]: [number, number], shortestS = SHORTEST_S): [number, number] {
  const size = Math.min(Math.max(to - from, shortestS), b - a);
  const start = Math.min(Math.max(from, a), b - size);
  return [start, start + size];
}

/** What lies under the pointer across the time, such as a limit: it is asked first, and answers whether it was meant. */
export interface Across {
  down: (event: PointerEvent) => boolean;
  move: (event: PointerEvent) => void;
  /** `done`: let go where it was meant; else taken away. */
  up: (done: boolean) => void;
  over: (event: PointerEvent) => boolean;
}

const NOTHING_ACROSS: RefObject<Across | null> = { current: null };

/** Wheel and two fingers zoom, Shift (or a sideways wheel) pans, a plain drag selects, a click on a mark chooses it. */
export function useGestures(
  box: RefObject<HTMLDivElement | null>,
  canvases: RefObject<Places>,
  latest: RefObject<TimeGestures>,
  dragged: RefObject<[number, number] | null>,
  cursor: RefObject<number | null>,
  redraw: () => void,
  across: RefObject<Across | null> = NOTHING_ACROSS,
) {
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const place = () => canvases.current.lanes?.getBoundingClientRect() ?? element.getBoundingClientRect();
    const width = () => Math.max(place().width - LEFT - (latest.current.right ?? 2), 1);
    const time = (clientX: number) => {
      const [from, to] = latest.current.span;
      return from + ((clientX - place().left - LEFT) / width()) * (to - from);
    };
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const { span, whole, onSpan, shortestS } = latest.current;
      const [from, to] = span;
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
        const by = ((event.deltaX || event.deltaY) / width()) * (to - from);
        return onSpan(clamped(from + by, to + by, whole, shortestS));
      }
      const factor = event.deltaY > 0 ? 1.25 : 0.8;
      const at = time(event.clientX);
      onSpan(clamped(at - (at - from) * factor, at + (to - at) * factor, whole, shortestS));
    };
    /** The edge within reach of the pointer. */
    const edgeAt = (event: PointerEvent): Edge | undefined => {
      const [from, to] = latest.current.span;
      const reach = ((to - from) / width()) * (event.pointerType === "mouse" ? REACH.mouse : REACH.touch);
      const at = time(event.clientX);
      const near = (latest.current.edges ?? []).filter((e) => Math.abs(e.atS - at) <= reach);
      return near.sort((a, b) => Math.abs(a.atS - at) - Math.abs(b.atS - at))[0];
    };
    const fingers = twoFingers({
      place: () => ({ left: place().left + LEFT, width: width() }),
      span: () => latest.current.span,
      onSpan: (from, to) => latest.current.onSpan(clamped(from, to, latest.current.whole, latest.current.shortestS)),
    });
    let edge: string | null = null;
    let crossing = false;
    let pan: { x: number; span: [number, number] } | null = null;
    const down = (event: PointerEvent) => {
      // The names of the lanes have clicks of their own, which a captured pointer would take from them.
      if (event.clientX < place().left + LEFT) return;
      element.setPointerCapture(event.pointerId);
      // A second finger means a closer look: the first has marked and moved nothing.
      if (fingers.down(event)) return cancel();
      crossing = event.button === 0 && !event.shiftKey && (across.current?.down(event) ?? false);
      if (crossing) return;
      edge = event.button === 0 && !event.shiftKey ? (edgeAt(event)?.key ?? null) : null;
      if (edge) return;
      if (event.shiftKey || event.button === 1) pan = { x: event.clientX, span: latest.current.span };
      else if (event.button === 0) dragged.current = [time(event.clientX), time(event.clientX)];
    };
    const move = (event: PointerEvent) => {
      if (fingers.move(event)) return;
      if (crossing) {
        across.current?.move(event);
        return redraw();
      }
      cursor.current = time(event.clientX);
      latest.current.onCursor(cursor.current);
      element.style.cursor = edge || edgeAt(event) ? "ew-resize" : across.current?.over(event) ? "ns-resize" : "";
      if (edge) latest.current.onEdge?.(edge, cursor.current, false);
      else if (pan) {
        const [from, to] = pan.span;
        const by = ((pan.x - event.clientX) / width()) * (to - from);
        latest.current.onSpan(clamped(from + by, to + by, latest.current.whole, latest.current.shortestS));
      } else if (dragged.current) dragged.current = [dragged.current[0], cursor.current];
      redraw();
    };
    const up = (event: PointerEvent) => {
      if (fingers.up(event)) return cancel();
      if (crossing) {
        crossing = false;
        across.current?.up(true);
        return redraw();
      }
      if (edge) latest.current.onEdge?.(edge, time(event.clientX), true);
      edge = null;
      const chosen = dragged.current;
      pan = dragged.current = null;
      if (!chosen) return;
      const [from, to] = latest.current.span;
      const wide = (Math.abs(chosen[1] - chosen[0]) / (to - from)) * width();
      if (wide > 4) latest.current.onSelect(Math.min(...chosen), Math.max(...chosen));
      else {
        const marks = canvases.current.marks?.getBoundingClientRect();
        const row = marks ? Math.floor((event.clientY - marks.top) / ROW) : -1;
        const near = ((to - from) / width()) * 8;
        const at = chosen[0];
        const items = latest.current.rows[row]?.items ?? [];
        const hit = stacksOf(items, width() / (to - from))
          .filter((stack) => stack.fromS - near <= at && at <= stack.toS + near)
          .sort((a, b) => Math.abs(a.fromS + a.toS - 2 * at) - Math.abs(b.fromS + b.toS - 2 * at))[0];
        const only = hit?.items[0];
        if (hit && hit.items.length > 1 && hit.toS - hit.fromS > SHORTEST_S) {
          // Several under one finger: a closer look tells them apart.
          const room = Math.max((hit.toS - hit.fromS) / 2, 5);
          latest.current.onSpan(clamped(hit.fromS - room, hit.toS + room, latest.current.whole));
        } else if (only) latest.current.onMark(only.key);
        else latest.current.onPoint?.(at, event.clientY - place().top);
      }
      redraw();
    };
    // The browser takes the finger for a scroll, or the window loses the pointer: nothing was meant.
    const cancel = (event?: PointerEvent) => {
      if (event) fingers.up(event);
      if (edge) latest.current.onEdge?.(edge, null, true);
      if (crossing) across.current?.up(false);
      crossing = false;
      edge = pan = dragged.current = null;
      redraw();
    };
    const leave = () => {
      cursor.current = null;
      latest.current.onCursor(null);
      redraw();
    };
    element.addEventListener("wheel", wheel, { passive: false });
    element.addEventListener("pointerdown", down);
    element.addEventListener("pointermove", move);
    element.addEventListener("pointerup", up);
    element.addEventListener("pointercancel", cancel);
    element.addEventListener("pointerleave", leave);
    return () => {
      element.removeEventListener("wheel", wheel);
      element.removeEventListener("pointerdown", down);
      element.removeEventListener("pointermove", move);
      element.removeEventListener("pointerup", up);
      element.removeEventListener("pointercancel", cancel);
      element.removeEventListener("pointerleave", leave);
    };
  }, [box, canvases, latest, dragged, cursor, redraw, across]);
}
