import { useEffect, useRef } from "react";
import type { Schemas } from "@/api/client";
import { bytesOf } from "./pixels";

/** A picture as the recorder's display has it, each of its pixels enlarged alike: what cannot be read there cannot be read here. */
export function Screen({
  drawn,
  label,
  times = 2,
  round = false,
}: {
  drawn: Schemas["Drawn"] | undefined;
  label: string;
  times?: number;
  round?: boolean;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { width = 128, height = 128 } = drawn ?? {};
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !drawn) return;
    const image = context.createImageData(drawn.width, drawn.height);
    const pixels = bytesOf(drawn.pixels);
    for (let i = 0; i < pixels.length; i++) {
      const grey = ((pixels[i] ?? 0) / (drawn.greys - 1)) * 0.82;
      image.data.set([grey * 232 + 18, grey * 240 + 20, grey * 222 + 18, 255], i * 4);
    }
    context.putImageData(image, 0, 0);
  }, [drawn]);
  return (
    <canvas
      ref={canvas}
      role={label ? "img" : undefined}
      aria-label={label || undefined}
      aria-hidden={label ? undefined : true}
      width={width}
      height={height}
      className={`bg-hair outline-3 outline-slate ${round ? "rounded-full" : "rounded-md"}`}
      style={{ width: width * times, height: height * times, imageRendering: "pixelated" }}
    />
  );
}
