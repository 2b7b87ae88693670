import { type Assessment, figureOf } from "@/sheet/assessed";
import { number } from "@/ui/format";

const LOOKS = [1, 2, 3, 4, 5, 6].map((step) => `var(--ramp-${step})`);

const minutes = (seconds: number) => `${Math.floor(seconds / 60)}:${String(Math.round(seconds % 60)).padStart(2, "0")}`;

export interface Zone {
  name: string;
  fromBpm: number | null;
  seconds: number;
}

export function zonesOf(shown: Assessment): Zone[] {
  const table = shown.tables.find((each) => each.key === "zones");
  return (table?.rows ?? []).map(([name, from, seconds]) => ({
    name: String(name),
    fromBpm: typeof from === "number" ? from : null,
    seconds: typeof seconds === "number" ? seconds : 0,
  }));
}

/** How long in which zone, as they were for the person that day; without a heart rate is hatched, never filled in. */
export function Zones({ shown }: { shown: Assessment }) {
  const zones = zonesOf(shown);
  const total = zones.reduce((sum, zone) => sum + zone.seconds, 0);
  if (total === 0) return null;
  const missing = zones.at(-1);
  return (
    <section aria-label="Time in zones" className="pb-2">
      <h2 className="pb-1">Time in zones</h2>
      <div className="flex h-6 overflow-hidden rounded-sm border border-line" aria-hidden="true">
        {zones.map((zone, i) => (
          <i
            key={zone.name}
            className={zone === missing ? "hatched" : ""}
            style={{
              width: `${(100 * zone.seconds) / total}%`,
              background:
                zone === missing
                  ? "repeating-linear-gradient(135deg, var(--salt) 0 3px, var(--none) 3px 4px)"
                  : LOOKS[Math.min(i, LOOKS.length - 1)],
            }}
          />
        ))}
      </div>
      <ul className="grid gap-x-3 pt-1 text-[12.5px]">
        {zones.map((zone, i) => (
          <li key={zone.name} className="flex items-baseline gap-1.5">
            <i
              aria-hidden="true"
              className="inline-block size-2.5 flex-none rounded-sm border border-line"
              style={{
                background:
                  zone === missing
                    ? "repeating-linear-gradient(135deg, var(--salt) 0 2px, var(--none) 2px 3px)"
                    : LOOKS[Math.min(i, LOOKS.length - 1)],
              }}
            />
            <span className="min-w-0 flex-1 truncate text-soft">
              {zone.name}
              {zone.fromBpm !== null && `, from ${number(zone.fromBpm, 0)}`}
            </span>
            <b className="font-semibold">{minutes(zone.seconds)}</b>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The fastest over each distance that was covered; a press goes there. */
export function Efforts({ shown, onMoment }: { shown: Assessment; onMoment: (fromS: number, toS: number) => void }) {
  const found = shown.figures.filter((figure) => figure.key.startsWith("effort."));
  if (found.length === 0) return null;
  return (
    <section aria-label="Best efforts">
      <h2 className="pb-0.5">Fastest</h2>
      <ul className="text-[13px]">
        {found.map(({ key }) => {
          const figure = figureOf(shown, key);
          if (figure?.value == null) return null;
          const [taken, from] = [figure.value, figure.at_s];
          return (
            <li key={key} className="flex items-baseline gap-2 border-hair border-t py-0.5">
              <button
                type="button"
                className="min-h-6 flex-1 text-left text-act hover:underline"
                disabled={from === null}
                onClick={() => from !== null && onMoment(from, from + taken)}
              >
                {figure.name.replace(/^Fastest /, "")}
              </button>
              <b className="font-semibold">{minutes(taken)}</b>
              <span className="w-20 text-right text-soft">
                {minutes((1000 * taken) / Number(key.slice("effort.".length)))} min/km
              </span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
