import { useMemo } from "react";
import { Link } from "react-router";
import { type Assessed, figureOf } from "@/sheet/assessed";
import type { SeveralProps } from "@/sheet/contract";
import { number } from "@/ui/format";
import { Clouds } from "./Clouds";
import { type Case, caseOf, DEPTH, RATE } from "./case";

const [WIDE, TALL, AXIS] = [560, 46, 16];
const STEPS_S = [10, 30, 60, 120, 300, 600];
const MOST_STEPS = 10;

const lengthOf = (about: Case) => Math.max(about.compressions.at(-1)?.atS ?? 0, about.said.at(-1)?.atS ?? 0);
const firstOf = (about: Case) => about.compressions[0]?.atS ?? 0;

/** A crew's recordings one under another: when there were compressions, when not, and every one against the targets. */
export default function Drill({ all, names }: SeveralProps) {
  const cases = useMemo(() => all.map(caseOf), [all]);
  // From the first compression of each on: how long it took to get there stands beside.
  const wholeS = Math.max(...cases.map((about) => lengthOf(about) - firstOf(about)), 30);
  const step = STEPS_S.find((each) => wholeS / each <= MOST_STEPS) ?? 600;
  return (
    <section aria-label="One under another" className="rounded-lg border border-line bg-panel px-3 py-2">
      <p className="flex flex-wrap items-baseline gap-x-3 text-[13px]">
        <b className="font-narrow font-semibold">One under another</b>
        <span className="text-soft">
          from the first compression on; filled: compressions, open: none, a stroke: a shock; targets{" "}
          {RATE.join(" to ")} a minute, {DEPTH.join(" to ")} mm
        </span>
      </p>
      <ul>
        {cases.map((about, i) => (
          <Row
            key={all[i]?.session.id}
            about={about}
            review={all[i] as Assessed}
            name={names[i] ?? ""}
            wholeS={wholeS}
            step={step}
          />
        ))}
      </ul>
    </section>
  );
}

function Row({
  about,
  review,
  name,
  wholeS,
  step,
}: {
  about: Case;
  review: Assessed;
  name: string;
  wholeS: number;
  step: number;
}) {
  const zero = firstOf(about);
  const endS = about.compressions.at(-1)?.atS ?? zero;
  const x = (atS: number) => ((atS - zero) / wholeS) * (WIDE - 4) + 2;
  const value = (key: string) => {
    const found = figureOf(review.reviewed, key);
    return found && found.value !== null ? `${number(found.value, found.decimals)} ${found.unit}`.trim() : "not known";
  };
  const longest = Math.max(...about.pauses.map((pause) => pause.endS - pause.startS), 0);
  const said: [string, string][] = [
    ["compressing", value("fraction")],
    ["in both targets", value("in_target")],
    ["rate", value("rate")],
    ["depth", value("depth")],
    ["longest pause", about.compressions.length > 1 ? `${number(longest, 0)} s` : "not known"],
  ];
  return (
    <li className="flex flex-wrap items-center gap-x-5 gap-y-1 border-hair border-t py-2 first:border-t-0">
      <div className="min-w-0 flex-1 basis-[420px]">
        <Link to={`/review/${review.session.id}`} className="font-medium hover:underline">
          {name}
        </Link>
        <svg
          viewBox={`0 0 ${WIDE} ${TALL + AXIS}`}
          className="w-full font-narrow text-[11.5px]"
          role="img"
          aria-label={`${name}: ${about.compressions.length} compressions, ${about.pauses.length} pauses, ${about.said.filter((each) => each.code === "shock").length} shocks`}
        >
          {about.compressions.length > 1 && (
            <rect x={x(zero)} y={12} width={x(endS) - x(zero)} height={24} className="fill-act" rx={2} />
          )}
          {about.pauses.map((pause) => (
            <rect
              key={pause.startS}
              x={x(pause.startS)}
              y={12}
              width={Math.max(x(pause.endS) - x(pause.startS), 1)}
              height={24}
              className="fill-panel stroke-act"
              strokeWidth={0.8}
            >
              <title>{`${number(pause.endS - pause.startS, 1)} s without compressions`}</title>
            </rect>
          ))}
          {about.said
            .filter((each) => each.code === "shock" && each.atS >= zero)
            .map((each) => (
              <g key={each.atS}>
                <line x1={x(each.atS)} x2={x(each.atS)} y1={3} y2={44} className="stroke-above" strokeWidth={2.4} />
                <title>{each.text}</title>
              </g>
            ))}
          {Array.from({ length: Math.floor(wholeS / step) + 1 }, (_, i) => i * step).map((at) => (
            <text
              key={at}
              x={x(zero + at)}
              y={TALL + AXIS - 3}
              textAnchor={at === 0 ? "start" : "middle"}
              className="fill-soft"
            >
              {Math.floor(at / 60)}:{String(at % 60).padStart(2, "0")}
            </text>
          ))}
        </svg>
      </div>
      <dl className="grid grid-cols-[auto_auto] gap-x-3 text-[13px]">
        {said.map(([label, words]) => (
          <div key={label} className="contents">
            <dt className="text-soft">{label}</dt>
            <dd className="text-right font-narrow font-semibold">{words}</dd>
          </div>
        ))}
      </dl>
      <Clouds about={about} small />
    </li>
  );
}
