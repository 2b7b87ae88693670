import { useEffect, useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { day, number } from "@/ui/format";
import { decimalsOfUnit, endsOf } from "./LiveTable";
import { type LiveValues, through, useNow } from "./live";

/** The live value as a hand on a dial; what was swept since writing is filled. */
function Dial({
  value,
  swept,
  unit,
  ends: [low, whole],
}: {
  value: number | null;
  swept: [number, number] | null;
  unit: string;
  ends: [number, number];
}) {
  const angle = (v: number) => ((Math.min(Math.max(v, low), whole) - low) / (whole - low)) * 220 - 200;
  const at = (degrees: number, r: number): [number, number] => {
    const a = (degrees * Math.PI) / 180;
    return [120 + r * Math.cos(a), 100 + r * Math.sin(a)];
  };
  const arc = (from: number, to: number) => {
    const [x0, y0] = at(from, 84);
    const [x1, y1] = at(to, 84);
    return `M${x0} ${y0}A84 84 0 ${to - from > 180 ? 1 : 0} 1 ${x1} ${y1}`;
  };
  const ticks = unit === "°" ? [-90, -60, 0, 60, 90] : [0, 1, 2, 3, 4].map((i) => low + (i / 4) * (whole - low));
  return (
    <svg viewBox="-8 -14 256 162" className="mx-auto w-full max-w-[260px] text-[11px]" aria-hidden>
      <title>The live value</title>
      <path d={arc(-200, 20)} fill="none" stroke="var(--hair)" strokeWidth={11} />
      {swept && swept[1] > swept[0] && (
        <path
          d={arc(angle(swept[0]), angle(swept[1]))}
          fill="none"
          stroke="var(--act)"
          strokeWidth={11}
          opacity={0.35}
        />
      )}
      {ticks.map((t) => {
        const [x, y] = at(angle(t), 102);
        return (
          <text key={t} x={x} y={y + 4} textAnchor="middle" fill="var(--soft)">
            {t > 0 && unit === "°" ? "+" : ""}
            {Number(t.toPrecision(3))}
          </text>
        );
      })}
      {value !== null && (
        <line
          x1={at(angle(value), 62)[0]}
          y1={at(angle(value), 62)[1]}
          x2={at(angle(value), 92)[0]}
          y2={at(angle(value), 92)[1]}
          stroke="var(--ink)"
          strokeWidth={3}
        />
      )}
      <text x={120} y={108} textAnchor="middle" fill="var(--ink)" fontSize={26} fontWeight={600}>
        {number(value, unit === "%" ? 0 : 1)}
        {unit === "°" || unit === "%" ? "" : " "}
        {unit}
      </text>
    </svg>
  );
}

const DOES: Readonly<Record<string, string>> = { "°": "Turn the wheel", "%": "Press the pedal" };
const ENDS: Readonly<Record<string, [number, number]>> = { "°": [-120, 120], "%": [0, 100] };

/** Proving a calibration by moving the sensor: what has to be seen ticks itself, and counts only when the points are written. */
export function Proof({
  sensor,
  live,
  fresh,
  written,
  busy,
  onChecked,
}: {
  sensor: Schemas["Sensor"];
  live: LiveValues;
  /** Points captured here and not written, complete; their value is shown beside the recorder's own. */
  fresh: [number, number][] | null;
  /** What tells one writing from the next; nothing when nothing is on the recorder. */
  written: string;
  busy: boolean;
  onChecked: (seen: number[], days: number, certificate: string) => void;
}) {
  const now = useNow(live);
  const value = now?.values[sensor.key] ?? null;
  const raw = now?.raw[sensor.key] ?? null;
  const [seen, setSeen] = useState<(number | null)[]>([]);
  const [swept, setSwept] = useState<[number, number] | null>(null);
  const [days, setDays] = useState(String(sensor.every_days));
  const [certificate, setCertificate] = useState("");
  const counts = written !== "" && fresh === null;
  const of = useRef("");
  useEffect(() => {
    const mine = `${sensor.key} ${written} ${counts}`;
    if (of.current !== mine) {
      of.current = mine;
      setSeen(sensor.proof.map(() => null));
      setSwept(null);
      setDays(String(sensor.every_days));
      return;
    }
    if (!counts || value === null) return;
    setSwept((s) => (s ? [Math.min(s[0], value), Math.max(s[1], value)] : [value, value]));
    setSeen((all) => {
      const then = sensor.proof.map((step, i) => {
        const before = all[i] ?? null;
        if (value < step.low || value > step.high) return before;
        // The farthest that was reached; about a middle the newest.
        if (step.low < 0 && step.high > 0) return value;
        return before === null || Math.abs(value) > Math.abs(before) ? value : before;
      });
      return then.every((v, i) => v === all[i]) ? all : then;
    });
  }, [value, counts, sensor, written]);
  const done = counts && sensor.proof.length > 0 && seen.length > 0 && seen.every((v) => v !== null);
  const whole = Math.round(Number(days));
  const until = new Date(Date.now() + (whole > 0 && whole <= 3650 ? whole : sensor.every_days) * 86_400_000);
  return (
    <section aria-label="Proof" className="rounded-lg border border-line bg-panel px-3 py-2.5">
      <div className="flex items-baseline justify-between">
        <h2>{DOES[sensor.unit] ?? "Move it"}</h2>
        <span className="text-[13px] text-soft">{counts ? "" : "counts once written"}</span>
      </div>
      <Dial
        value={fresh && raw !== null ? through(fresh, raw) : value}
        swept={swept}
        unit={sensor.unit}
        ends={ENDS[sensor.unit] ?? endsOf(sensor)}
      />
      {fresh && (
        <p className="flex justify-between border-hair border-t py-1 text-[13px]">
          <span>
            with the new points <b className="font-semibold">{raw === null ? "–" : number(through(fresh, raw), 1)}</b>
          </span>
          <span className="text-soft">
            on the recorder {number(value, 1)} {sensor.unit}
          </span>
        </p>
      )}
      <ul>
        {sensor.proof.map((step, i) => {
          const mark = seen[i] ?? null;
          return (
            <li key={step.words} className="flex justify-between gap-2 border-hair border-t py-1.5">
              <span>{step.words}</span>
              <span className={mark === null ? "text-soft" : "font-semibold text-within"}>
                {mark === null
                  ? "not yet"
                  : `${number(mark, decimalsOfUnit(sensor.unit === "°" ? "deg" : sensor.unit))}${sensor.unit === "°" ? "°" : ` ${sensor.unit}`} seen`}
              </span>
            </li>
          );
        })}
      </ul>
      <div className="mt-1 grid grid-cols-2 gap-2 border-hair border-t pt-2">
        <Field label="Holds for, days">
          <input
            className={inputLook}
            inputMode="numeric"
            value={days}
            maxLength={4}
            onChange={(e) => setDays(e.target.value)}
          />
        </Field>
        <Field label="Certificate">
          <input
            className={inputLook}
            value={certificate}
            placeholder="none"
            maxLength={120}
            onChange={(e) => setCertificate(e.target.value)}
          />
        </Field>
      </div>
      <Button
        className="mt-2"
        look={done ? "primary" : "plain"}
        disabled={!done || busy || !(whole >= 1 && whole <= 3650)}
        onClick={() =>
          onChecked(
            seen.map((v) => v ?? 0),
            whole,
            certificate,
          )
        }
      >
        Checked, valid to {day(until.toISOString(), undefined, true)}
      </Button>
    </section>
  );
}
