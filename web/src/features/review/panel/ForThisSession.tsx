import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { isRead, keptBounds, keptUnit, readValue } from "@/api/readers";
import { type Assessed, type Kind, settingOf } from "@/sheet/assessed";
import { Heading } from "@/sheet/Heading";
import type { Supposed } from "@/sheet/useSupposed";
import { Refused } from "@/ui/basics";
import { type Entry, lengthOf, numberOf } from "@/ui/entry";
import { decimalsOf, hoursMinutes, number, unitWords } from "@/ui/format";
import { ReasonDialog } from "@/ui/reason";
import { useTyped } from "@/ui/typed";
import type { ReviewActions } from "../useReview";

function Setting({
  label,
  unit,
  value,
  parse,
  shown,
  onSet,
  onTyping,
  locked,
  hint,
  wide = false,
}: {
  label: string;
  unit: string;
  value: string;
  parse: (text: string) => Entry | { value: string | null };
  /** How a value is written in the field. */
  shown: (value: number | string | null) => string;
  /** Sets the value, and says whether it was taken. */
  onSet: (value: number | string | null) => Promise<boolean>;
  /** What would hold while it is typed; undefined when it is not understood, or nobody types any more. */
  onTyping?: (value: number | string | null | undefined) => void;
  locked: boolean;
  hint: string;
  wide?: boolean;
}) {
  const { text, awaited, typed, type, forget, send } = useTyped(value);
  const [wrong, setWrong] = useState<string | null>(null);
  const typing = (now: string) => {
    type(now);
    const entry = parse(now);
    onTyping?.("wrong" in entry || now.trim() === awaited ? undefined : entry.value);
  };
  const commit = () => {
    if (typed === null) return;
    const entry = parse(typed);
    // What is not understood stays in the field, and what was there before stays in force.
    if ("wrong" in entry) return setWrong(entry.wrong);
    setWrong(null);
    if (shown(entry.value) === awaited) {
      onTyping?.(undefined);
      return forget();
    }
    send(
      shown(entry.value),
      onSet(entry.value).finally(() => onTyping?.(undefined)),
    );
  };
  return (
    <label className="flex flex-wrap items-center justify-between gap-x-2 border-hair border-t py-1 text-[13px]">
      <span className="text-soft">{label}</span>
      <span className="flex items-center gap-1">
        <input
          aria-label={label}
          className={`${wide ? "w-32" : "w-20"} rounded border bg-transparent px-1 text-right hover:border-line ${wrong ? "border-above" : "border-transparent"}`}
          aria-invalid={wrong !== null}
          placeholder={hint}
          value={text}
          readOnly={locked}
          onChange={(e) => typing(e.target.value)}
          onBlur={commit}
          onKeyDown={(e) => e.key === "Enter" && commit()}
        />
        {unit}
      </span>
      <Refused why={wrong} right />
    </label>
  );
}

/** The name in a course's plain form. */
function courseName(plain: string): string {
  try {
    return String((JSON.parse(plain) as { name?: unknown }).name ?? "a course");
  } catch {
    return "a course";
  }
}

/** A course of the register whose lines a session is cut by; kept as it is now, whatever becomes of it. */
function CourseChoice({
  word,
  value,
  locked,
  onSet,
}: {
  word: Kind["decisions"][number];
  value: string | null;
  locked: boolean;
  onSet: (course: number | null) => unknown;
}) {
  const courses = useQuery({ queryKey: ["courses"], queryFn: () => ask(api.GET("/api/courses")) });
  return (
    <label className="flex flex-wrap items-center justify-between gap-x-2 border-hair border-t py-1 text-[13px]">
      <span className="whitespace-nowrap text-soft">{word.label}</span>
      <select
        className="ml-auto min-h-6 min-w-24 flex-1 rounded border border-transparent bg-transparent text-right hover:border-line"
        value={value === null ? "" : "kept"}
        disabled={locked || !courses.data}
        onChange={(e) => onSet(e.target.value === "" ? null : Number(e.target.value))}
      >
        <option value="">{word.hint || "as usual"}</option>
        {value !== null && (
          <option value="kept" disabled>
            {courseName(value)}, as chosen
          </option>
        )}
        {courses.data
          ?.filter((c) => c.length_m > 0)
          .map((c) => (
            <option key={c.id} value={c.id}>
              {c.name}, as it is now
            </option>
          ))}
      </select>
    </label>
  );
}

/** What the kind lets a reviewer set for one session; empty is as usual. */
export function ForThisSession({
  review,
  kind,
  actions,
  supposed,
  locked,
}: {
  review: Assessed;
  kind: Kind;
  actions: ReviewActions;
  supposed: Supposed;
  locked: boolean;
}) {
  const [explaining, setExplaining] = useState<{ word: Kind["decisions"][number]; value: number } | null>(null);
  if (kind.decisions.length === 0) return null;
  // Many settings are for the rare case: the foremost stay in view.
  const inView = kind.decisions.length > MOST_IN_VIEW ? FOREMOST : kind.decisions.length;
  const folded = kind.decisions.slice(inView);
  const row = (word: Kind["decisions"][number]) => {
    const value = settingOf(review, word.key);
    if (word.type === "course")
      return (
        <CourseChoice
          key={word.key}
          word={word}
          value={typeof value === "string" ? value : null}
          locked={locked}
          onSet={(course) => actions.set(word.key, course)}
        />
      );
    if (word.type === "choice")
      return (
        <label key={word.key} className="flex items-center justify-between gap-2 border-hair border-t py-1 text-[13px]">
          <span className="text-soft">{word.label}</span>
          <select
            className="rounded border border-transparent bg-transparent text-right hover:border-line"
            value={value === null ? "" : String(value)}
            disabled={locked}
            onChange={(e) => actions.set(word.key, e.target.value || null)}
          >
            <option value="">{word.hint || "as usual"}</option>
            {word.choices.map((choice) => (
              <option key={choice.value} value={choice.value}>
                {choice.words}
              </option>
            ))}
          </select>
        </label>
      );
    const planned = word.key === "working_day_s" ? hoursMinutes(review.reviewed.quality.planned_s) : word.hint;
    return (
      <Setting
        key={word.key}
        label={word.label}
        unit={unitWords(word.unit)}
        hint={planned}
        wide={word.type === "text"}
        value={shownOf(word)(value)}
        shown={shownOf(word)}
        parse={parserOf(word)}
        locked={locked}
        onTyping={(v) =>
          v === undefined
            ? supposed.forget()
            : supposed.suppose({ add: [{ what: "setting", key: word.key, value: v, reason: "supposed" }] })
        }
        onSet={async (v) => {
          if (!word.needs_reason || typeof v !== "number") return actions.set(word.key, v);
          setExplaining({ word, value: v });
          return false;
        }}
      />
    );
  };
  return (
    <>
      <Heading>For this session</Heading>
      {kind.decisions.slice(0, inView).map(row)}
      {folded.length > 0 && (
        <details
          className="border-hair border-t text-[13px]"
          open={folded.some((w) => settingOf(review, w.key) !== null)}
        >
          <summary className="cursor-pointer py-1 text-act">{folded.length} more, mostly as usual</summary>
          {folded.map(row)}
        </details>
      )}
      {explaining && (
        <ReasonDialog
          title={`${explaining.word.label} ${shownOf(explaining.word)(explaining.value)} ${explaining.word.unit}`.trim()}
          hint="where the value comes from"
          action="Set it"
          onClose={() => setExplaining(null)}
          onReason={(reason) => {
            actions.set(explaining.word.key, explaining.value, reason);
            setExplaining(null);
          }}
        />
      )}
    </>
  );
}

const MOST_IN_VIEW = 6;
const FOREMOST = 2;

const shownOf = (word: Kind["decisions"][number]) => (value: number | string | null) => {
  if (value === null) return "";
  if (word.type === "length") return hoursMinutes(Number(value));
  if (typeof value !== "number") return value;
  const read = readValue(value, keptUnit(word), Math.max(decimalsOf(value), isRead(keptUnit(word)) ? 1 : 0));
  return number(read, decimalsOf(read));
};

function parserOf(word: Kind["decisions"][number]): (text: string) => Entry | { value: string | null } {
  if (word.type === "length") return lengthOf;
  if (word.type === "text") return (text) => ({ value: text.trim() || null });
  const { low, high } = keptBounds(word);
  const also: Record<string, number> = word.unit === "dB" ? { "db(a)": 1 } : {};
  return (text) =>
    numberOf(text, {
      unit: keptUnit(word),
      read: true,
      also,
      low: low ?? undefined,
      high: high ?? undefined,
      empty: true,
    });
}
