import { number } from "@/ui/format";
import { type BinSheet, decimalsOf, offWords, targetOf } from "./bins";
import { seconds } from "./looks";

/** How long it was on target, above, below, and in cells of too few readings. */
export function BinSums({ sheet }: { sheet: BinSheet }) {
  const decimals = decimalsOf(sheet);
  const shown = targetOf(sheet);
  const [tooHigh, tooLow] = offWords(sheet);
  const grey = sheet.count.flat().filter((n) => n > 0 && n < sheet.fewest).length;
  return (
    <dl className="mt-2 grid grid-cols-2 gap-px overflow-hidden rounded-lg border border-line bg-line min-[760px]:grid-cols-4">
      {[
        [
          "On target",
          shown ? `${Math.round((100 * sheet.on_target_s) / Math.max(sheet.whole_s, 1e-9))} %` : "–",
          shown ? seconds(sheet.on_target_s) : "no target set",
        ],
        [
          shown ? `${sheet.quantity.name} ${tooHigh}, above ${number(shown[1], decimals)}` : "Above",
          shown ? seconds(sheet.above_s) : "–",
          "",
        ],
        [
          shown ? `${sheet.quantity.name} ${tooLow}, below ${number(shown[0], decimals)}` : "Below",
          shown ? seconds(sheet.below_s) : "–",
          "",
        ],
        ["Grey cells", seconds(sheet.grey_s), `${grey} cells with fewer than ${sheet.fewest} readings`],
      ].map(([name, value, words]) => (
        <div key={name} className="bg-panel px-3 py-1.5">
          <dt className="truncate font-medium font-narrow text-[12.5px] text-soft">{name}</dt>
          <dd className="font-narrow font-semibold text-[24px] leading-tight">{value}</dd>
          <dd className="min-h-4 text-[12.5px] text-soft">{words}</dd>
        </div>
      ))}
    </dl>
  );
}
