import type { Assessment } from "@/sheet/assessed";
import { number } from "@/ui/format";
import { type Episode, TYPES } from "./episodes";
import { LOOKS, MarkIcon } from "./Mark";

const TALL = 110;
const BINS = [0, 5, 10, 15, 20, 25, 30, 35];

/** Episodes in each hour by type; which side and which type; by how much the heart rate rose. */
export function HoursAndTypes({ shown, episodes }: { shown: Assessment; episodes: Episode[] }) {
  const [hours, kinds] = ["hours", "kinds"].map((key) => shown.tables.find((table) => table.key === key));
  const counting = episodes.filter((episode) => episode.counts);
  const highest = Math.max(
    ...(hours?.rows ?? []).map((row) => TYPES.reduce((sum, _, i) => sum + Number(row[2 + i] ?? 0), 0)),
    4,
  );
  const rises = counting.flatMap((episode) => (episode.rise === null ? [] : [episode.rise]));
  const linked = rises.filter((rise) => Math.round(rise * 1e6) / 1e6 >= 10).length;
  const most = Math.max(...BINS.map((from, i) => inBin(rises, from, BINS[i + 1])), 1);
  return (
    <div className="flex flex-wrap gap-x-8 gap-y-3 pt-1">
      <figure>
        <figcaption className="pb-1 text-[13px]">
          <b className="font-narrow font-semibold">Episodes in each hour</b>
        </figcaption>
        <ul className="flex items-end gap-1.5">
          {(hours?.rows ?? []).map((row) => {
            const total = TYPES.reduce((sum, _, i) => sum + Number(row[2 + i] ?? 0), 0);
            return (
              <li key={String(row[0])} className="w-8 text-center font-narrow text-[12px]">
                {number(total, 0)}
                {TYPES.map((type, i) => (
                  <i
                    key={type}
                    className="block border-panel border-t"
                    style={{ height: (Number(row[2 + i] ?? 0) / highest) * (TALL - 30), background: LOOKS[type] }}
                  />
                ))}
                <span className="text-soft">{String(row[1]).slice(0, 2)}</span>
              </li>
            );
          })}
        </ul>
      </figure>
      <table className="h-fit text-right font-narrow text-[13px] [&_td]:px-2 [&_th]:px-2">
        <caption className="pb-1 text-left font-semibold">Which side, which type</caption>
        <thead className="text-soft">
          <tr>
            <th />
            {["left", "right", "both as one"].map((side) => (
              <th key={side} className="font-medium">
                {side}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {(kinds?.rows ?? []).map(([name, ...counts]) => {
            const type = TYPES.find((each) => each === name);
            return (
              <tr key={String(name)} className="border-hair border-t">
                <th scope="row" className="text-left font-normal">
                  {type && <MarkIcon type={type} />} {name}
                </th>
                {counts.map((count, k) => (
                  <td key={kinds?.columns[k + 1]?.name} className={k === counts.length - 1 ? "font-semibold" : ""}>
                    {number(Number(count), 0)}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
      <figure>
        <figcaption className="pb-1 text-[13px]">
          <b className="font-narrow font-semibold">Rise of the heart rate, %</b>{" "}
          <span className="text-soft">
            linked from 10 %: {linked} of {rises.length}
          </span>
        </figcaption>
        <ul className="flex items-end gap-1">
          {BINS.map((from, i) => {
            const count = inBin(rises, from, BINS[i + 1]);
            return (
              <li key={from} className="w-7 text-center font-narrow text-[12px]">
                {count}
                <i
                  className="block bg-above"
                  style={{ height: Math.max((count / most) * (TALL - 40), 1), opacity: from < 10 ? 0.35 : 0.85 }}
                />
                <span className="text-soft">{from === 0 ? "<5" : from}</span>
              </li>
            );
          })}
        </ul>
      </figure>
    </div>
  );
}

const inBin = (rises: number[], from: number, to: number | undefined) =>
  rises.filter((rise) => (from === 0 || rise >= from) && (to === undefined || rise < to)).length;
