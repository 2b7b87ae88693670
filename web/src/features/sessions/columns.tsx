import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Tag, Token, Verdict } from "@/ui/basics";
import { decimalsOf, hoursMinutes, length, moment, number, unitWords } from "@/ui/format";
import type { RegisterColumn } from "@/ui/register";

export type Session = Schemas["Session"];
export type Sort = "started" | "length" | "person" | "verdict" | "figure";

export interface Column extends RegisterColumn<Session> {
  /** The figure that a column of numbers is about. */
  figure?: string;
  /** What the list is sorted by when it is sorted by this column. */
  sort?: Sort;
}

export const COLUMNS: Column[] = [
  {
    key: "person",
    name: "Person",
    sort: "person",
    sorts: true,
    cell: (s) => (
      <Link className="block max-w-56 truncate font-medium hover:text-act" to={`/review/${s.id}`}>
        {s.person || "Unclaimed"}
      </Link>
    ),
  },
  {
    key: "started",
    name: "Start",
    sort: "started",
    sorts: true,
    fallsFirst: true,
    cell: (s) => <span className="whitespace-nowrap">{moment(s.started_at, s.utc_offset_min)}</span>,
  },
  {
    key: "length",
    name: "Length",
    sort: "length",
    sorts: true,
    cell: (s) => <span className="whitespace-nowrap">{length(s.length_s)}</span>,
  },
  { key: "kind", name: "Kind", cell: (s) => kindName(s.kind) },
  { key: "recorder", name: "Recorder", cell: (s) => <Token name={s.token} size="small" /> },
  { key: "place", name: "Place", cell: (s) => s.tags.place && <Tag>{s.tags.place}</Tag> },
  { key: "task", name: "Task", cell: (s) => s.tags.task && <Tag>{s.tags.task}</Tag> },
  { key: "figure", name: "Result", cell: (s) => <span className="whitespace-nowrap">{s.key_figure}</span> },
  {
    key: "verdict",
    name: "Verdict",
    sort: "verdict",
    sorts: true,
    cell: (s) =>
      s.trouble ? (
        <span className="text-action">{s.trouble}</span>
      ) : s.aside ? (
        <span className="text-soft">{s.aside}</span>
      ) : (
        <Verdict verdict={s.verdict} words={s.verdict_step || undefined} />
      ),
  },
  {
    key: "state",
    name: "Review",
    cell: (s) => <span className="text-soft">{s.report || (s.signed_at ? "signed off" : "waiting")}</span>,
  },
];

/** A figure as a column: its short name and unit above, numbers with as many decimals as they are stated with. */
export function numberColumn(
  key: string,
  label: string,
  rows: Session[],
  named: Schemas["FigureName"][] | undefined,
): Column & { figure: string } {
  const name = label || named?.find((f) => f.key === key)?.name || key;
  const unit = unitWords(rows.find((s) => s.numbers[key])?.numbers[key]?.unit ?? "");
  const decimals = Math.max(0, ...rows.map((s) => decimalsOf(s.numbers[key]?.value)));
  return {
    key: `number ${key}`,
    figure: key,
    name: unit ? `${name}, ${unit}` : name,
    sort: "figure",
    sorts: true,
    fallsFirst: true,
    right: true,
    cell: (s) => {
      const found = s.numbers[key];
      const reached = found && (found.verdict === "above limit" || found.verdict === "action level reached");
      return (
        <span className="flex items-center justify-end gap-1 font-narrow font-semibold">
          {reached && <Verdict verdict={found.verdict} bare />}
          {unit === "h" && found?.value != null ? hoursMinutes(found.value * 3600) : number(found?.value, decimals)}
        </span>
      );
    },
  };
}
