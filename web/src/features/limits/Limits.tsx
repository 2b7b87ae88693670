import { useQuery } from "@tanstack/react-query";
import { api, ask } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Loading, Trouble, Verdict, type VerdictWord } from "@/ui/basics";

interface Rule {
  name: string;
  unit: string;
  parameters: Record<string, number>;
  steps: { value: number; verdict: VerdictWord; name: string; beyond: boolean; below?: boolean }[];
}

function counted(p: Record<string, number>): string {
  if (!p.criterion_db) return "";
  const threshold = p.threshold_db ? `, counted from ${p.threshold_db} dB` : "";
  return `${p.exchange_rate_db} dB rate, ${p.criterion_db} dB for ${p.criterion_h} h${threshold}`;
}

const edge = (step: Rule["steps"][number]) =>
  step.below ? (step.beyond ? "below" : "down to") : step.beyond ? "above" : "from";

/** The limit sets on record, with issuer, version and date. */
export default function Limits() {
  const sets = useQuery({ queryKey: ["limit-sets"], queryFn: () => ask(api.GET("/api/limit-sets")) });
  if (sets.isError && !sets.data) return <Trouble error={sets.error} again={() => sets.refetch()} />;
  if (!sets.data) return <Loading what="the limit sets" />;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, and holds nothing else that takes the focus
    <main tabIndex={0} className="h-full overflow-auto px-5 py-[18px]">
      <h1>Limits</h1>
      <p className="mb-4 text-soft">Shipped sets are read-only. What a report used is frozen with the report.</p>
      {sets.data.map((set) => (
        <article key={set.id} className="mb-3 max-w-[880px] rounded-lg border border-line bg-panel px-4 py-3">
          <div className="flex items-baseline gap-3">
            <h2>{set.name}</h2>
            <span className="text-soft">
              {kindName(set.kind)}, {set.issuer}, {set.version}, valid from {set.valid_from}
            </span>
          </div>
          <table className="mt-2 w-full">
            <tbody>
              {(set.data.rules as Rule[]).map((rule) => (
                <tr key={rule.name} className="border-hair border-t align-top">
                  <td className="w-64 py-1.5 pr-3">
                    {rule.name}
                    <span className="block text-[12.5px] text-soft">{counted(rule.parameters)}</span>
                  </td>
                  <td className="py-1.5">
                    {rule.steps.map((s) => (
                      <span key={s.name} className="mr-5 inline-block">
                        <Verdict verdict={s.verdict} words={`${edge(s)} ${s.value} ${rule.unit}, ${s.name}`} />
                      </span>
                    ))}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </article>
      ))}
    </main>
  );
}
