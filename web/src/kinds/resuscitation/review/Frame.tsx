import { type PointerEvent, useMemo, useRef } from "react";
import type { Case } from "./case";

const [WIDE, TALL] = [1000, 26];

const placeIn = (lengthS: number) => (atS: number) => (atS / Math.max(lengthS, 1)) * WIDE;

/** What stays while the frame moves: each kind of mark is one path. */
function Whole({ about, lengthS }: { about: Case; lengthS: number }) {
  const x = placeIn(lengthS);
  const counting = about.compressions.filter((each) => each.counts);
  const [first, last] = [counting[0]?.atS, counting.at(-1)?.atS];
  const pauses = about.pauses
    .map(
      (pause) =>
        `M${x(pause.startS).toFixed(1)} 7h${Math.max(x(pause.endS) - x(pause.startS), 0.5).toFixed(1)}v12H${x(pause.startS).toFixed(1)}z`,
    )
    .join("");
  const shocks = about.said.filter((each) => each.code === "shock");
  return (
    <>
      {first !== undefined && last !== undefined && (
        <rect
          x={x(first)}
          y={8}
          width={Math.max(x(last) - x(first), 1)}
          height={10}
          className="fill-act"
          opacity={0.55}
        />
      )}
      <path d={pauses} className="fill-panel" />
      <path
        d={shocks.map((each) => `M${(x(each.atS) - 1).toFixed(1)} 2h2.5v22h-2.5z`).join("")}
        className="fill-above"
      />
    </>
  );
}

/** The whole case as a thin strip: compressions, shocks, and the part that is seen as a frame that is dragged. */
export function Frame({
  about,
  lengthS,
  fromS,
  wideS,
  onMove,
}: {
  about: Case;
  lengthS: number;
  fromS: number;
  wideS: number;
  onMove: (fromS: number) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<number | null>(null);
  const x = placeIn(lengthS);
  const momentAt = (event: PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    return box ? ((event.clientX - box.left) / box.width) * lengthS : 0;
  };
  const still = useMemo(() => <Whole about={about} lengthS={lengthS} />, [about, lengthS]);
  return (
    <svg
      ref={svg}
      viewBox={`0 0 ${WIDE} ${TALL}`}
      preserveAspectRatio="none"
      className="mb-1 block h-[26px] w-full cursor-ew-resize touch-none rounded-sm border border-line"
      role="img"
      aria-label="The whole case; the frame is the part that is seen below"
      onPointerDown={(event) => {
        const at = momentAt(event);
        // Beside the frame: it comes to where was pressed; on it: it is taken where it was gripped.
        const isOn = at >= fromS && at <= fromS + wideS;
        held.current = isOn ? at - fromS : wideS / 2;
        if (!isOn) onMove(at - wideS / 2);
        event.currentTarget.setPointerCapture(event.pointerId);
      }}
      onPointerMove={(event) => {
        if (held.current !== null) onMove(momentAt(event) - held.current);
      }}
      onPointerUp={() => {
        held.current = null;
      }}
      onPointerCancel={() => {
        held.current = null;
      }}
    >
      {still}
      <rect
        data-frame
        x={x(fromS)}
        y={1}
        width={Math.max(x(wideS), 6)}
        height={TALL - 2}
        rx={2}
        className="fill-brass stroke-brass"
        fillOpacity={0.18}
        strokeWidth={2}
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}
