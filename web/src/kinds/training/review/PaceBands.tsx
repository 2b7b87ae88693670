import type { Assessment } from "@/sheet/assessed";
import { number } from "@/ui/format";
import { paceWords } from "./way";

const TALL = 64;
/** Shorter than this share of the time a band at either end is only noise. */
const LEAST = 0.4;

/** For how long at which pace, in bands; standing apart. */
export function PaceBands({ shown, per500 }: { shown: Assessment; per500: boolean }) {
  const table = shown.tables.find((each) => each.key === "pace_bands");
  const rows = (table?.rows ?? []).map(([from, to, seconds, share]) => ({
    from: Number(from),
    to: typeof to === "number" ? to : null,
    seconds: Number(seconds),
    share: Number(share),
  }));
  const standing = rows.find((row) => row.to === null);
  const moving = rows.filter((row) => row.to !== null);
  const first = moving.findIndex((row) => row.share >= LEAST);
  const last = moving.findLastIndex((row) => row.share >= LEAST);
  const bands = first < 0 ? [] : moving.slice(first, last + 1);
  if (bands.length === 0) return null;
  const most = Math.max(...bands.map((band) => band.share));
  const half = per500 ? 2 : 1;
  const words = (seconds: number) => paceWords(seconds / half);
  const unit = per500 ? "/500 m" : "min/km";
  return (
    <figure className="pb-2">
      <figcaption className="pb-1">
        <b className="font-narrow font-semibold">Pace bands</b>{" "}
        <span className="text-[12.5px] text-soft">
          {unit}
          {standing && standing.share >= 0.5 && `; ${number(standing.share, 0)} % slower than ${words(standing.from)}`}
        </span>
      </figcaption>
      <ul className="flex h-16 items-end gap-px" aria-label="Time by pace">
        {bands.map((band) => (
          <li
            key={band.from}
            className="flex-1 bg-act"
            style={{ height: Math.max((band.share / most) * TALL, band.seconds > 0 ? 1 : 0) }}
            title={`${words(band.from)} to ${words(band.to ?? band.from)} ${unit}: ${paceWords(band.seconds)} min, ${number(band.share, 0)} %`}
          >
            <span className="sr-only">
              {words(band.from)} to {words(band.to ?? band.from)} {unit}: {number(band.share, 0)} %
            </span>
          </li>
        ))}
      </ul>
      <p className="flex justify-between font-narrow text-[12px] text-soft">
        <span>{words(bands[0]?.from ?? 0)}</span>
        <span>{words(bands.at(-1)?.to ?? 0)}</span>
      </p>
    </figure>
  );
}
