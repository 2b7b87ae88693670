type Span = [number, number];

interface Picture {
  /** Where the time axis begins and how long it is, in pixels of the window. */
  place: () => { left: number; width: number };
  span: () => Span;
  onSpan: (from: number, to: number) => void;
}

/** Fingers closer together than this say nothing about a span. */
const CLOSEST_PX = 12;

/** Two fingers on a time axis: what lay under each stays under it. Says whether they have the picture in hand. */
export function twoFingers({ place, span, onSpan }: Picture) {
  const at = new Map<number, number>();
  let held: Span | null = null;
  const sorted = (): Span => {
    const [a = 0, b = 0] = [...at.values()].sort((x, y) => x - y);
    return [a, b];
  };
  return {
    down(event: PointerEvent): boolean {
      if (event.pointerType !== "touch") return false;
      at.set(event.pointerId, event.clientX);
      if (at.size !== 2) return at.size > 2;
      const { left, width } = place();
      const [from, to] = span();
      const momentUnder = (px: number) => from + ((px - left) / width) * (to - from);
      const [a, b] = sorted();
      held = b - a >= CLOSEST_PX ? [momentUnder(a), momentUnder(b)] : null;
      return true;
    },
    move(event: PointerEvent): boolean {
      if (!at.has(event.pointerId)) return false;
      at.set(event.pointerId, event.clientX);
      if (at.size < 2) return false;
      const [a, b] = sorted();
      if (held && b - a >= CLOSEST_PX) {
        const { left, width } = place();
        const perPx = (held[1] - held[0]) / (b - a);
        const from = held[0] - (a - left) * perPx;
        onSpan(from, from + width * perPx);
      }
      return true;
    },
    /** A finger has left; what the last one does until it leaves, too, means nothing more. */
    up(event: PointerEvent): boolean {
      const had = at.delete(event.pointerId) && held !== null;
      if (at.size === 0) held = null;
      return had;
    },
  };
}
