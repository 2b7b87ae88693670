import { useLayoutEffect, useState } from "react";

/** How wide an element is, in px, from when it is there: a drawing whose words keep their size. `of` is its ref. */
export function useWidth<E extends Element>(
  first: number,
): { of: (element: E | null) => void; element: E | null; wide: number } {
  const [wide, setWide] = useState(first);
  const [element, of] = useState<E | null>(null);
  useLayoutEffect(() => {
    if (!element) return;
    const measure = () => setWide(Math.max(Math.round(element.clientWidth), 200));
    const watch = new ResizeObserver(measure);
    watch.observe(element);
    measure();
    return () => watch.disconnect();
  }, [element]);
  return { of, element, wide };
}
