import type { ReactNode, SVGAttributes } from "react";

/** What moves over a picture, as a layer of its own: the picture below is not painted again. */
export function MovingLayer({
  children,
  ...size
}: { children: ReactNode } & Pick<SVGAttributes<SVGSVGElement>, "width" | "height" | "viewBox">) {
  return (
    <svg
      {...size}
      className="pointer-events-none absolute inset-0 block data-full:w-full will-change-transform"
      data-full={size.viewBox ? "" : undefined}
      aria-hidden="true"
    >
      {children}
    </svg>
  );
}
