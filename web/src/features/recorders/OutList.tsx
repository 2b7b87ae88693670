import { Link } from "react-router";
import { moment } from "@/ui/format";
import type { OnBoard } from "./useBoard";

const DAY_MS = 86_400_000;
const [BACK, AHEAD] = [4, 3];
const MOST = 40;

/** From four days ago to three ahead: where a moment lies, 0 to 1. */
function at(iso: string, now: number): number {
  const from = now - BACK * DAY_MS;
  return Math.min(Math.max((Date.parse(iso) - from) / ((BACK + AHEAD) * DAY_MS), 0), 1);
}

/** What is out and when it comes back, the late ones first: since when a bar, until when it is pale, late hatched. */
export function OutList({ out }: { out: OnBoard[] }) {
  const now = Date.now();
  const rows = [...out].sort(
    (a, b) => Number(b.late) - Number(a.late) || (a.until ?? "~").localeCompare(b.until ?? "~"),
  );
  const here = at(new Date(now).toISOString(), now);
  const span = (from: number, to: number) => ({
    left: `${100 * from}%`,
    width: `${100 * Math.max(to - from, 0.006)}%`,
  });
  return (
    <section aria-label="Out, and when it comes back">
      <h2 className="mt-3 mb-1 text-[15px]">
        Out, and when it comes back <span className="font-normal text-[13px] text-soft">late first</span>
      </h2>
      <ul className="columns-1 gap-6 min-[1180px]:columns-2">
        {rows.slice(0, MOST).map((each) => (
          <li key={each.recorder_id} className="flex break-inside-avoid items-center gap-2 py-0.5 text-[13.5px]">
            <span className="w-12 flex-none rounded-full border border-brass px-1 text-center font-bold font-narrow text-[11.5px] text-brass-ink">
              {each.token}
            </span>
            <Link to={`/people/${each.person_id}`} className="w-32 min-w-0 truncate hover:underline">
              {each.holder}
            </Link>
            <span className="relative h-4 min-w-16 flex-1 bg-hair" aria-hidden="true">
              {each.since && <span className="absolute inset-y-0.5 bg-brass" style={span(at(each.since, now), here)} />}
              {each.until && !each.late && (
                <span
                  className="absolute inset-y-0.5 border border-brass bg-brass-soft"
                  style={span(here, at(each.until, now))}
                />
              )}
              {each.until && each.late && (
                <span
                  className="hatched absolute inset-y-0.5 border border-action"
                  style={span(at(each.until, now), here)}
                />
              )}
              <span className="absolute inset-y-0 w-px bg-ink" style={{ left: `${100 * here}%` }} />
            </span>
            <span
              className={`w-40 flex-none text-right font-narrow text-[13px] ${each.late ? "text-action" : "text-soft"}`}
            >
              {each.until ? `${each.late ? "late since " : ""}${moment(each.until)}` : "no day was said"}
            </span>
          </li>
        ))}
      </ul>
      {rows.length > MOST && <p className="text-[13px] text-soft">and {rows.length - MOST} more</p>}
      {rows.length === 0 && <p className="text-[13px] text-soft">Nothing is out.</p>}
    </section>
  );
}
