import { type KeyboardEvent, useMemo, useState } from "react";
import type { Assessed } from "@/sheet/assessed";
import { saveCsv } from "@/sheet/csv";
import { number, offsetChanges, wallClock } from "@/ui/format";
import type { Part } from "./tree";
import { paceWords } from "./way";

const NONE = "–";
const STROKES_WIDE = 260;
const FULL = 99.5;

const clockWords = (seconds: number | null) => {
  if (seconds === null) return NONE;
  const [h, rest] = [Math.floor(seconds / 3600), Math.round(seconds % 3600)];
  const min = Math.floor(rest / 60);
  return `${h ? `${h}:${String(min).padStart(2, "0")}` : min}:${String(rest % 60).padStart(2, "0")}`;
};

/** Strokes or strides of a part as a line of marks, each as high as it was long. */
function Strokes({ review, part }: { review: Assessed; part: Part }) {
  const table = review.reviewed.tables.find((each) => each.key === "strokes");
  const at = (name: string) => table?.columns.findIndex((column) => column.name === name) ?? -1;
  const [time, way] = [at("Time"), at("Distance")];
  const mine = (table?.rows ?? []).flatMap((row) => {
    const [t, d] = [row[time], row[way]];
    return typeof t === "number" && typeof d === "number" && t >= part.fromS && t < part.toS ? [d] : [];
  });
  if (mine.length < 2) return null;
  const [low, high] = [Math.min(...mine), Math.max(...mine)];
  const step = STROKES_WIDE / mine.length;
  const path = mine
    .map((d, i) => `M${(i * step).toFixed(1)} 30V${(30 - 4 - (24 * (d - low)) / (high - low || 1)).toFixed(1)}`)
    .join("");
  return (
    <tr>
      <td colSpan={10} className="py-1 pl-10">
        <span className="flex items-center gap-3 text-[12.5px] text-soft">
          <svg
            width={STROKES_WIDE}
            height={30}
            role="img"
            aria-label={`${mine.length} strokes, ${number(low, 2)} to ${number(high, 2)} m each`}
          >
            <path d={path} className="stroke-act" strokeWidth={Math.max(step * 0.7, 0.4)} />
          </svg>
          {mine.length} of them, {number(low, 2)} to {number(high, 2)} m each
        </span>
      </td>
    </tr>
  );
}

/** The session, its intervals, their splits: each level adds up to the one above. Left and right close and open, Enter goes there. */
export function Tree({
  review,
  parts,
  atS,
  per500,
  onPart,
}: {
  review: Assessed;
  parts: Part[];
  /** The moment under the pointer: the row that it lies in is marked. */
  atS: number | null;
  /** On the water a pace is told over 500 m. */
  per500: boolean;
  onPart: (part: Part) => void;
}) {
  const [open, setOpen] = useState<ReadonlySet<number>>(() => new Set([0]));
  const shown = useMemo(() => {
    const seen = new Set<number>();
    return parts.flatMap((part, i) => {
      if (part.of !== null && !(seen.has(part.of) && open.has(part.of))) return [];
      seen.add(i);
      return [{ part, i }];
    });
  }, [parts, open]);
  if (parts.length === 0) return <p className="text-[13px] text-soft">Nothing was recorded.</p>;
  const turn = (i: number, to: boolean) => {
    const next = new Set(open);
    if (to) next.add(i);
    else next.delete(i);
    setOpen(next);
  };
  const table = review.reviewed.tables.find((each) => each.key === "levels");
  const hasStrokes = parts.some((part) => part.strokes !== null);
  const inside = shown.filter(({ part }) => atS !== null && part.fromS <= atS && atS < part.toS).at(-1)?.i;
  const key = (i: number, part: Part) => (event: KeyboardEvent) => {
    const row = event.currentTarget.closest("tr");
    const step = (to: Element | null | undefined) => to?.querySelector<HTMLElement>("button[data-part]")?.focus();
    const moves: Record<string, () => void> = {
      ArrowRight: () => turn(i, true),
      ArrowLeft: () => turn(i, false),
      ArrowDown: () => step(nextPart(row, "nextElementSibling")),
      ArrowUp: () => step(nextPart(row, "previousElementSibling")),
      Enter: () => onPart(part),
    };
    const run = moves[event.key];
    if (!run) return;
    run();
    event.preventDefault();
  };
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls
    <section aria-label="Session, intervals, splits" tabIndex={0} className="max-h-[420px] overflow-auto">
      <table className="w-full text-right font-narrow text-[13px]">
        <thead className="sticky top-0 bg-panel text-soft">
          <tr className="[&>th]:px-1.5 [&>th]:py-1 [&>th]:font-medium">
            <th className="text-left">Part</th>
            <th>km</th>
            <th>time</th>
            <th>{per500 ? "/500 m" : "min/km"}</th>
            <th colSpan={2}>heart rate, bpm</th>
            <th>highest</th>
            {hasStrokes && <th>strokes</th>}
            {hasStrokes && <th>a minute</th>}
            {hasStrokes && <th>m each</th>}
          </tr>
        </thead>
        <tbody>
          {shown.map(({ part, i }) => {
            const isOpen = open.has(i);
            const mayOpen = part.isDivided || (hasStrokes && (part.strokes ?? 0) > 1);
            return [
              <tr
                key={part.fromS + part.level / 10}
                className={`border-hair border-t [&>td]:px-1.5 [&>td]:py-0.5 ${i === inside ? "bg-act-soft" : part.level === 0 ? "bg-salt" : ""}`}
              >
                <th scope="row" className="px-1.5 text-left font-normal" style={{ paddingLeft: 6 + part.level * 18 }}>
                  <button
                    type="button"
                    data-part={i}
                    aria-expanded={mayOpen ? isOpen : undefined}
                    className="min-h-6 text-left hover:underline"
                    onClick={() => (mayOpen ? turn(i, !isOpen) : onPart(part))}
                    onDoubleClick={() => onPart(part)}
                    onKeyDown={key(i, part)}
                  >
                    <span className="inline-block w-4 text-act" aria-hidden="true">
                      {mayOpen ? (isOpen ? "▾" : "▸") : ""}
                    </span>
                    {part.name}
                  </button>
                </th>
                <td className="font-semibold">{part.km === null ? NONE : number(part.km, 2)}</td>
                <td>{clockWords(part.seconds)}</td>
                <td className="font-semibold">
                  {part.pace === null ? NONE : paceWords(per500 ? part.pace / 2 : part.pace)}
                </td>
                <td>{part.rate === null ? NONE : number(part.rate, 0)}</td>
                <td className="text-left text-soft">
                  {part.rate !== null && part.known !== null && part.known < FULL && `${number(part.known, 0)} % known`}
                </td>
                <td>{part.highest === null ? NONE : number(part.highest, 0)}</td>
                {hasStrokes && <td>{part.strokes === null ? NONE : number(part.strokes, 0)}</td>}
                {hasStrokes && (
                  <td>{part.strokes && part.seconds ? number((60 * part.strokes) / part.seconds, 1) : NONE}</td>
                )}
                {hasStrokes && <td>{part.perStroke === null ? NONE : number(part.perStroke, 2)}</td>}
              </tr>,
              isOpen && !part.isDivided ? <Strokes key={`strokes ${i}`} review={review} part={part} /> : null,
            ];
          })}
        </tbody>
      </table>
      {table && (
        <button
          type="button"
          className="mt-1 text-[12.5px] text-act hover:underline"
          onClick={() => saveCsv(table, wallClock(review.session, offsetChanges(review.events)))}
        >
          save all levels as CSV
        </button>
      )}
    </section>
  );
}

/** The next row in a direction that is a part, over pictures of strokes. */
function nextPart(row: Element | null, way: "nextElementSibling" | "previousElementSibling"): Element | null {
  let next = row?.[way] ?? null;
  while (next && !next.querySelector("button[data-part]")) next = next[way];
  return next;
}
