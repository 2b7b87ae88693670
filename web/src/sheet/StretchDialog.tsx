import { useEffect, useState } from "react";
import type { Kind, Stretch } from "@/sheet/assessed";
import { stated, unitOf } from "@/sheet/KeyFigures";
import type { Supposed } from "@/sheet/useSupposed";
import { Button, Field, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { clockOf } from "@/ui/entry";
import { length, type WallClock } from "@/ui/format";

const DAY_S = 86_400;

/**
 * A typed time of day as seconds after the session's start, on the day that brings it nearest to where the edge stood (and, where
 * it can, after `afterS`); or what is wrong. An hour that the wall shows twice is the first of the two.
 */
function typedTime(clock: WallClock, lengthS: number, text: string, nearS: number, afterS = -1): number | string {
  const wanted = clockOf(text);
  if ("wrong" in wanted) return wanted.wrong;
  const shown = (at: number) => Number((clockOf(clock(at, true)) as { value: number }).value);
  const plain = Number(wanted.value) - shown(0);
  const first = plain < -60 ? plain + DAY_S : Math.max(plain, 0);
  const days = Array.from({ length: Math.ceil((lengthS + 60) / DAY_S) }, (_, i) => first + i * DAY_S);
  // Where summer time begins or ends on the way, the time is met an hour sooner or later.
  const met = days.flatMap((at) =>
    [at, at + 3600, at - 3600]
      .filter((s) => s >= 0 && s <= lengthS + 60 && shown(s) === Number(wanted.value))
      .slice(0, 1),
  );
  const away = (s: number) => Math.abs(s - nearS);
  met.sort((a, b) => away(a) - away(b));
  return met.find((s) => s > afterS) ?? met[0] ?? first;
}

/** What to do with a stretch: leave it out with a reason, or mark it as a task; every drag can be typed instead. */
export function StretchDialog({
  words,
  clock,
  moment,
  lengthS,
  startS,
  endS,
  stretch,
  supposed,
  lead,
  onSave,
  onRemove,
  onClose,
}: {
  /** What can be marked in a session of this kind. */
  words: Kind["stretches"];
  clock: WallClock;
  /** As the clock, with the day where a session is longer than one. */
  moment: WallClock;
  lengthS: number;
  startS: number;
  endS: number;
  stretch?: Stretch;
  /** What would come out is said while the stretch is chosen; of the figure that leads. */
  supposed?: Supposed;
  lead?: string;
  onSave: (what: Stretch["what"], startS: number, endS: number, label: string) => void;
  onRemove?: () => void;
  onClose: () => void;
}) {
  const show = (at: number) => clock(at, true);
  const [what, setWhat] = useState<Stretch["what"]>(stretch?.what ?? "left out");
  const [from, setFrom] = useState(show(startS));
  const [to, setTo] = useState(show(endS));
  const [label, setLabel] = useState(stretch?.reason ?? "");
  // The dragged edges are kept exactly unless somebody types over them.
  const begin = from === show(startS) ? startS : typedTime(clock, lengthS, from, startS);
  const end = to === show(endS) ? endS : typedTime(clock, lengthS, to, endS, Number(begin));
  const wrong = [begin, end].find((each) => typeof each === "string");
  const fits = typeof begin === "number" && typeof end === "number" && end > begin;
  const reasons = words.find((w) => w.what === what)?.reasons ?? [];
  const suppose = supposed?.suppose;
  const forget = supposed?.forget;
  useEffect(() => {
    if (!fits || typeof begin !== "number" || typeof end !== "number") return;
    const wish = { what, start_s: begin, end_s: end, reason: label.trim() || "supposed" };
    suppose?.({ add: [wish], remove: stretch ? [stretch.id] : [] });
  }, [suppose, fits, begin, end, what, label, stretch]);
  useEffect(() => forget, [forget]);
  const would = supposed?.supposed?.figures.find((f) => f.key === lead);
  const good = fits && (label.trim() !== "" || what === "asleep");
  return (
    <Dialog
      title={stretch ? "Change this stretch" : `${moment(startS, true)} to ${moment(endS, true)}`}
      open
      onClose={onClose}
    >
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (good && typeof begin === "number" && typeof end === "number") onSave(what, begin, end, label.trim());
        }}
      >
        {!stretch && words.length > 1 && (
          <div className="flex gap-4" role="radiogroup" aria-label="What to do">
            {words.map((w) => (
              <label key={w.what} className="flex items-center gap-2">
                <input type="radio" name="what" checked={what === w.what} onChange={() => setWhat(w.what)} />
                {w.label}
              </label>
            ))}
          </div>
        )}
        {what !== "asleep" && (
          <Field label={what === "left out" ? "Why?" : "Which task?"}>
            <input
              className={inputLook}
              list="stretch-labels"
              value={label}
              maxLength={200}
              onChange={(e) => setLabel(e.target.value)}
              required
              autoFocus={!stretch}
            />
          </Field>
        )}
        {reasons.length > 0 && (
          <div className="flex flex-wrap gap-1.5">
            {reasons.map((r) => (
              <button
                key={r}
                type="button"
                className="rounded bg-hair px-2 py-1 text-[13px] hover:bg-act-soft"
                onClick={() => setLabel(r)}
              >
                {r}
              </button>
            ))}
          </div>
        )}
        <div className="grid grid-cols-2 gap-3">
          <Field label="From">
            <input className={inputLook} value={from} onChange={(e) => setFrom(e.target.value)} />
          </Field>
          <Field label="To">
            <input className={inputLook} value={to} onChange={(e) => setTo(e.target.value)} />
          </Field>
        </div>
        <p className="text-[13px] text-soft">
          {fits && lengthS > DAY_S && `${moment(begin, true)} to ${moment(end, true)}, `}
          {fits ? length(end - begin) : (wrong ?? "The end must come after the beginning.")}
          {fits && would && (
            <>
              . With it: {would.name} <b className="font-semibold text-ink">{stated(would)}</b> {unitOf(would)}
            </>
          )}
          {fits && supposed?.wrong && <span className="block text-action">{supposed.wrong}</span>}
        </p>
        <div className="flex gap-2">
          <Button look="primary" type="submit" disabled={!good}>
            {stretch ? "Change" : what === "left out" ? "Leave out" : "Mark the task"}
          </Button>
          {onRemove && <Button onClick={onRemove}>{what === "left out" ? "Count it again" : "Unmark"}</Button>}
          <Button look="quiet" onClick={onClose}>
            Cancel
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
