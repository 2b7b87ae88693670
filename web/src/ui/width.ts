import { type RefObject, useLayoutEffect, useState } from "react";

/** How wide an element is, in px, as long as it is there: a drawing whose words keep their size. */
export function useWidth(of: RefObject<Element | null>, first: number): number {
  const [wide, setWide] = useState(first);
  useLayoutEffect(() => {
    const element = of.current;
    if (!element) return;
    const measure = () => setWide(Math.max(Math.round(element.clientWidth), 200));
    const watch = new ResizeObserver(measure);
    watch.observe(element);
    measure();
    return () => watch.disconnect();
  }, [of]);
  return wide;
}
