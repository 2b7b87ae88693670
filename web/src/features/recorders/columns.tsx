import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Button, Token } from "@/ui/basics";
import { clockError, moment, percent } from "@/ui/format";
import type { RegisterColumn } from "@/ui/register";

export type Recorder = Schemas["Recorder"];

/** What columns need to know and do. */
export interface Work {
  wrongFrom: (kind: string) => number;
  lowBelow: (kind: string) => number;
  setClock: (of: Recorder) => void;
  isSetting: boolean;
  lookAgain: (id: number) => void;
  isLooking: boolean;
}

function Where({ recorder: r }: { recorder: Recorder }) {
  if (!r.in_reach)
    return <span className="text-soft">{r.seen_at ? `last seen ${moment(r.seen_at)}` : "not seen yet"}</span>;
  return (
    <>
      {r.place}, {r.mode.replaceAll("-", " ")}
      {r.quality !== null && (
        <span className={r.quality < 0.4 ? "text-action" : "text-soft"}>, link {percent(r.quality)}</span>
      )}
      {r.press && <span className="block text-[12.5px] text-action">{r.press}</span>}
      {r.trouble && <span className="block text-[12.5px] text-action">{r.trouble}</span>}
    </>
  );
}

function Clock({ recorder: r, work }: { recorder: Recorder; work: Work }) {
  if (!r.in_reach) return null;
  return (
    <span className={Math.abs(r.clock_error_s ?? 0) >= work.wrongFrom(r.kind) ? "text-action" : ""}>
      {clockError(r.clock_error_s)}
      {r.sets_up && clockError(r.clock_error_s) !== clockError(0) && (
        <Button
          look="quiet"
          size="small"
          aria-label={`set the clock of ${r.token}`}
          disabled={work.isSetting}
          onClick={() => work.setClock(r)}
        >
          set
        </Button>
      )}
    </span>
  );
}

const wide = "px-2 py-1.5";

/** The columns of the register, with what can be done in them. */
export const columnsOf = (work: Work): RegisterColumn<Recorder>[] => [
  {
    key: "token",
    name: "Token",
    sorts: true,
    look: wide,
    cell: (r) => <Token name={r.token} away={!r.in_reach} />,
  },
  {
    key: "name",
    name: "Name",
    sorts: true,
    look: wide,
    cell: (r) => (
      <>
        <b className="block font-semibold">{r.name}</b>
        <span className="text-[12.5px] text-soft">{kindName(r.kind)}</span>
      </>
    ),
  },
  { key: "seen", name: "Where", sorts: true, fallsFirst: true, look: wide, cell: (r) => <Where recorder={r} /> },
  {
    key: "holder",
    name: "With",
    sorts: true,
    look: `${wide} max-w-56`,
    cell: (r) => <span className={`block truncate ${r.holder ? "" : "text-soft"}`}>{r.holder || "nobody"}</span>,
  },
  {
    key: "battery",
    name: "Battery",
    sorts: true,
    look: `${wide} whitespace-nowrap`,
    cell: (r) => {
      const low = r.in_reach && 100 * (r.battery ?? 1) < work.lowBelow(r.kind);
      return <span className={low ? "text-action" : ""}>{r.in_reach ? percent(r.battery) : ""}</span>;
    },
  },
  { key: "memory", name: "Memory", look: wide, cell: (r) => (r.in_reach ? percent(r.memory_used) : "") },
  { key: "clock", name: "Clock", look: `${wide} whitespace-nowrap`, cell: (r) => <Clock recorder={r} work={work} /> },
  {
    key: "checks",
    name: "Checks",
    look: wide,
    cell: (r) =>
      r.sets_up && (
        <Link
          to={`/recorders/${r.id}/sensors`}
          title={r.overdue.join("; ")}
          className={`inline-flex min-h-6 items-center hover:underline ${r.overdue.length > 0 ? "text-action" : "text-act"}`}
        >
          {r.overdue.length > 0 ? `${r.overdue.length} due` : r.calibrates ? "Sensors" : "in order"}
        </Link>
      ),
  },
  {
    key: "serial",
    name: "Serial number, firmware",
    look: `${wide} text-soft`,
    cell: (r) => [r.serial, r.firmware].filter(Boolean).join(", "),
  },
  {
    key: "do",
    name: "What to do",
    unseen: true,
    look: `${wide} text-right`,
    cell: (r) => (
      <Button look="quiet" disabled={work.isLooking} onClick={() => work.lookAgain(r.id)}>
        Look again
      </Button>
    ),
  },
];
