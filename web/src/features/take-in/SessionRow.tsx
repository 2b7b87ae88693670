import { memo } from "react";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { kindName } from "@/kinds/kinds";
import { Progress, Verdict, type VerdictWord } from "@/ui/basics";
import { length, moment } from "@/ui/format";
import { type Bay, type Draft, type Found, isStopped, isStored, isWaiting, minutes, takesTags } from "./dock";
import { TagCell } from "./TagCell";

function State({ found, longS }: { found: Found; longS: number }) {
  if (found.standing === "unreadable") return <span className="text-action">{found.trouble}</span>;
  if (found.standing === "arriving" && found.trouble && !isStopped(found))
    return <span className="text-action">{found.trouble}</span>;
  if (found.standing === "arriving" && !isStopped(found))
    return found.received ? (
      <span className="inline-flex items-center gap-2">
        <Progress share={found.received / Math.max(found.size, 1)} label="taken in" />
        {found.transfer_s !== null && found.transfer_s > 3 && (
          <span className="text-soft">{minutes(found.transfer_s)}</span>
        )}
      </span>
    ) : (
      <span className="text-soft">next</span>
    );
  if (found.standing === "aside") return <Verdict verdict="not assessable" words="kept aside" />;
  if (found.standing === "deleted") return <span className="text-soft">removed here earlier</span>;
  if (found.standing === "recording") return <span className="text-soft">recording now</span>;
  if (found.standing === "stored") {
    if (found.figures === "failed") return <Verdict verdict="not assessable" words="figures failed" />;
    if (found.figures !== "assessed") return <span className="text-soft">in, figures follow</span>;
    return <Verdict verdict={found.verdict as VerdictWord} words={found.key_figure || found.verdict} />;
  }
  const slow = found.transfer_s !== null && found.transfer_s > longS ? `, takes ${minutes(found.transfer_s)}` : "";
  return <span className="text-soft">{isStopped(found) ? "stopped before its turn" : `waiting${slow}`}</span>;
}

/** A session on a recorder: whose, what, how it stands. Its place in the list never changes. */
export const SessionRow = memo(function SessionRow({
  bay,
  found,
  draft,
  ticked,
  open,
  longS,
  words,
  editing,
  onTick,
  onOpen,
  onEdit,
  onTag,
  onDown,
}: {
  bay: Bay;
  found: Found;
  draft: Draft | undefined;
  ticked: boolean;
  open: boolean;
  /** From here on it is said how long the transfer takes. */
  longS: number;
  words: Schemas["TagWord"][];
  /** The tag that is being typed in this row. */
  editing: string | null;
  onEdit: (tag: string | null) => void;
  onTag: (tag: string, words: string) => void;
  onDown: (tag: string) => void;
  onTick: (span: boolean) => void;
  /** `byKey`: opened with the keyboard, so that one goes on in what opens. */
  onOpen: (byKey: boolean) => void;
}) {
  const whose = draft?.unclaimed ? "" : (draft?.person?.name ?? found.person);
  const when = moment(found.start, bay.utc_offset_min);
  const cell = "border-hair border-t px-1.5";
  const mayTick = isWaiting(found) || found.standing === "deleted" || found.trouble !== "";
  const quiet = found.standing === "deleted" || found.standing === "recording";
  return (
    <tr
      className={`h-[30px] pointer-coarse:h-[40px] ${open || ticked ? "bg-act-soft" : ""} ${quiet ? "text-none" : ""}`}
      aria-selected={open}
      data-token={bay.recorder.token}
    >
      <td className={`${cell} pl-3`}>
        <input
          type="checkbox"
          aria-label={`Tick ${bay.recorder.token}, ${when}, ${length(found.length_s)}`}
          className="size-4 align-middle accent-(--act) pointer-coarse:size-6"
          checked={ticked}
          disabled={!mayTick}
          onChange={(e) => onTick(e.nativeEvent instanceof MouseEvent && e.nativeEvent.shiftKey)}
        />
      </td>
      <td className={cell}>
        <span className="whitespace-nowrap rounded-full bg-brass-soft px-2 py-0.5 font-bold font-narrow text-[12px] text-brass-ink">
          {bay.recorder.token}
        </span>
      </td>
      <td className={`${cell} p-0`}>
        <button
          type="button"
          className="block min-h-7 w-full truncate px-1.5 text-left hover:text-act"
          aria-label={`${whose || "nobody yet"}, ${bay.recorder.token}, ${when}`}
          aria-pressed={open}
          data-line={`${bay.recorder.id} ${found.recorder_session}`}
          onClick={(e) => onOpen(e.detail === 0)}
        >
          {whose ? <b className="font-medium">{whose}</b> : <span className="text-act">nobody yet</span>}
        </button>
      </td>
      <td className={`${cell} hidden truncate text-soft min-[1180px]:table-cell`}>
        {kindName(found.kind).toLowerCase()}
      </td>
      <td className={`${cell} whitespace-nowrap`}>
        {when}
        {found.of_day > 1 && found.nth > 0 && (
          <span
            className="ml-1.5 text-[12.5px] text-soft"
            title={`recording ${found.nth} of ${found.of_day} on this day`}
          >
            no. {found.nth}
          </span>
        )}
      </td>
      <td className={`${cell} whitespace-nowrap`}>{length(found.length_s)}</td>
      <td className={`${cell} hidden truncate text-soft min-[1440px]:table-cell`}>
        {found.too_short ? "too short to count" : found.about}
      </td>
      <td className={`${cell} overflow-hidden`}>
        <TagCell
          row={`${bay.recorder.token}, ${when}`}
          words={words}
          tags={isStored(found) ? found.tags : (draft?.tags ?? found.tags)}
          editing={editing}
          onEdit={words.length > 0 && takesTags(found) ? onEdit : undefined}
          onTag={onTag}
          onDown={onDown}
        />
      </td>
      <td className={`${cell} truncate py-0.5`} title={found.key_figure || found.trouble || undefined}>
        <State found={found} longS={longS} />
      </td>
      <td className={`${cell} pr-3 text-right`}>
        {found.standing === "stored" && found.session_id !== null && (
          <Link to={`/review/${found.session_id}`} className="font-medium text-act hover:underline">
            review
          </Link>
        )}
      </td>
    </tr>
  );
});
