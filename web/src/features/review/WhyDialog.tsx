import type { Schemas } from "@/api/client";
import { Dialog } from "@/ui/dialog";
import { length, number, percent } from "@/ui/format";

function value(v: number | null): string {
  if (v === null) return "none";
  return Number.isInteger(v) ? v.toLocaleString() : number(v, Math.abs(v) < 1 ? 4 : 2);
}

/** Why this number? Formula in symbols, the numbers put in, samples used, what was left out, source. */
export function WhyDialog({ figure, onClose }: { figure: Schemas["Figure"]; onClose: () => void }) {
  const { why } = figure;
  return (
    <Dialog title={`Why ${number(figure.value, figure.decimals)} ${figure.unit}?`} open onClose={onClose} wide>
      <p className="mb-3">{figure.name}</p>
      <p className="rounded-md bg-salt px-3 py-2 font-narrow font-semibold text-[16px]">{why.formula}</p>
      {why.numbers.length > 0 && (
        <table className="mt-3 w-full">
          <tbody>
            {why.numbers.map((n) => (
              <tr key={n.symbol} className="border-hair border-t">
                <td className="py-1 pr-3 font-narrow font-semibold">{n.symbol}</td>
                <td className="pr-3 text-soft">{n.meaning}</td>
                <td className="text-right">
                  {value(n.value)} {n.unit}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="mt-3">
        From {why.samples_used.toLocaleString()} samples, {percent(figure.coverage)} of the planned time.{" "}
        {why.samples_left_out > 0
          ? `${why.samples_left_out.toLocaleString()} samples (${length(why.left_out_s)}) left out.`
          : "Nothing left out."}
      </p>
      {figure.note && <p className="mt-1">{figure.note}</p>}
      <p className="mt-3 text-soft">Source: {why.source}</p>
    </Dialog>
  );
}
