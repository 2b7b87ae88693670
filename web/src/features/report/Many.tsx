import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { kindName, useKindWords } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Trouble, Verdict, type VerdictWord, Warn } from "@/ui/basics";
import { day } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { useTitle } from "@/ui/title";
import { Batches, BatchView } from "./BatchView";
import { MailEach } from "./MailEach";

type Candidate = Schemas["Candidate"];

const box = "size-4 accent-(--act)";

/** One page of the one that is looked at, as it would be frozen. */
function Preview({ session, parts, named }: { session: Candidate; parts: string[]; named: boolean }) {
  const options = { parts, named };
  const pages = useQuery({
    queryKey: ["review", session.session_id, "pages", options],
    queryFn: () =>
      ask(
        api.POST("/api/sessions/{session_id}/report-pages", {
          params: { path: { session_id: session.session_id } },
          body: options,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, and holds nothing else that takes the focus
    <section aria-label="Pages" tabIndex={0} className="overflow-auto px-6 py-5">
      <p className="mb-2 font-medium">
        {session.name}{" "}
        <span className="font-normal text-soft">
          {kindName(session.kind)}, {day(session.started_at, session.utc_offset_min, true)}; draft, number when issued
        </span>
      </p>
      {pages.isError && <Trouble error={pages.error} again={() => pages.refetch()} />}
      {!pages.data && !pages.isError && <Loading what="the pages" />}
      {pages.data?.notes.map((note) => (
        <Warn key={note}>{note}</Warn>
      ))}
      {pages.data?.pages.map((url, i) => (
        <img
          // biome-ignore lint/suspicious/noArrayIndexKey: pages have no other identity
          key={i}
          src={url}
          alt={`Page ${i + 1} of the report on ${session.name}`}
          className="mx-auto mb-5 w-full max-w-[760px] bg-white shadow-[0_1px_8px_#1d2b3333]"
        />
      ))}
    </section>
  );
}

function Row({
  each,
  ticked,
  here,
  onTick,
  onLook,
}: {
  each: Candidate;
  ticked: boolean;
  here: boolean;
  onTick: (on: boolean) => void;
  onLook: () => void;
}) {
  return (
    <li className={`flex items-center gap-2 border-l-3 px-3 ${here ? "border-brass bg-panel" : "border-transparent"}`}>
      <input
        type="checkbox"
        className={box}
        aria-label={`Report for ${each.name}, ${day(each.started_at, each.utc_offset_min)}`}
        checked={ticked}
        onChange={(event) => onTick(event.target.checked)}
      />
      <button
        type="button"
        className="min-w-0 flex-1 py-1 text-left hover:bg-hair"
        aria-current={here}
        onClick={onLook}
      >
        <span className="flex items-center gap-2">
          <span className="min-w-0 flex-1 truncate font-medium">{each.name}</span>
          <Verdict verdict={each.verdict as VerdictWord} bare />
        </span>
        <span className="block truncate text-[12.5px] text-soft">
          {day(each.started_at, each.utc_offset_min)}, {each.key_figure}
          {each.issued ? `; issued as ${each.issued}` : ""}
        </span>
      </button>
    </li>
  );
}

const CURE: Record<string, string> = { "waits for review": "review it", "nobody's yet": "look" };

/** Those that cannot be issued: why, and where it is cured. */
function StayOut({ rows }: { rows: Candidate[] }) {
  if (rows.length === 0) return null;
  return (
    <>
      <h2 className="flex px-4 pt-4 pb-1">
        Stay out <span className="ml-auto font-normal text-soft">{rows.length}</span>
      </h2>
      <ul className="px-4 text-[13px]">
        {rows.map((each) => (
          <li key={each.session_id} className="flex items-baseline gap-2 border-hair border-t py-1">
            <span className="min-w-0 flex-1">
              <span className="block truncate font-medium">{each.name}</span>
              <span className="block text-soft">
                {day(each.started_at, each.utc_offset_min)}: {each.why_not}
              </span>
            </span>
            <Link className="text-act hover:underline" to={`/review/${each.session_id}`}>
              {CURE[each.why_not] ?? "look"}
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}

/** Which parts go on the pages of each kind. */
function Parts({
  kinds,
  parts,
  onParts,
}: {
  kinds: string[];
  parts: Record<string, string[]>;
  onParts: (parts: Record<string, string[]>) => void;
}) {
  const words = useKindWords();
  return (
    <>
      {kinds.map((key) => {
        const kind = words.data?.find((each) => each.key === key);
        const chosen = parts[key] ?? kind?.one_page ?? [];
        return (
          <details key={key} open={kinds.length === 1} className="mt-2">
            <summary className="cursor-pointer">
              <b className="font-semibold">On each {kindName(key).toLowerCase()} page</b>{" "}
              <span className="text-[13px] text-soft">{chosen.length} parts</span>
            </summary>
            <div className="mt-1 grid gap-1">
              {Object.entries(kind?.report_parts ?? {}).map(([part, name]) => (
                <label key={part} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className={box}
                    checked={chosen.includes(part)}
                    onChange={(event) =>
                      onParts({
                        ...parts,
                        [key]: event.target.checked ? [...chosen, part] : chosen.filter((p) => p !== part),
                      })
                    }
                  />
                  {name}
                </label>
              ))}
            </div>
          </details>
        );
      })}
    </>
  );
}

/** Left who gets a report and who does not, middle the true page, right what goes in and where it goes. */
function Desk({
  ids,
  group,
  page,
  name,
}: {
  ids: number[];
  group: number | null;
  /** Whether the page of the group is there to go along: its conclusion is signed. */
  page: boolean;
  name: string;
}) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { fail } = useNotices();
  const words = useKindWords();
  const found = useQuery({
    queryKey: ["sessions", "candidates", ids],
    queryFn: () => ask(api.POST("/api/report-candidates", { body: { sessions: ids } })),
  });
  const [without, setWithout] = useState<number[]>([]);
  const [looked, setLooked] = useState<number | null>(null);
  const [parts, setParts] = useState<Record<string, string[]>>({});
  const [named, setNamed] = useState(true);
  const [oneEach, setOneEach] = useState(true);
  const [withGroup, setWithGroup] = useState(group !== null && page);
  const [groupNamed, setGroupNamed] = useState(true);
  const [mail, setMail] = useState<Record<number, string> | null>(null);
  const [note, setNote] = useState("");
  const rows = found.data ?? [];
  const ready = rows.filter((each) => !each.why_not);
  const chosen = useMemo(() => ready.filter((each) => !without.includes(each.session_id)), [ready, without]);
  const count = oneEach ? new Set(chosen.map((each) => each.person_id)).size : chosen.length;
  const issue = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/report-batches", {
          body: {
            sessions: chosen.map((each) => each.session_id),
            one_each: oneEach,
            parts,
            named,
            name,
            group_id: withGroup ? group : null,
            group_named: groupNamed,
            mail_to: mail && named ? mail : {},
            forms: ["pdf"],
            note,
          },
        }),
      ),
    onSuccess: (made) => {
      void queries.invalidateQueries({ queryKey: ["batches"] });
      navigate(`/report/many/${made.id}`);
    },
    onError: fail,
  });
  if (found.isError && !found.data)
    return <Trouble heading="Reports" error={found.error} again={() => found.refetch()} />;
  if (!found.data) return <Loading heading="Reports" what="who can have a report" />;
  const shown = rows.find((each) => each.session_id === looked) ?? chosen[0] ?? ready[0];
  const whose = new Set(rows.map((each) => each.person_id));
  const kinds = [...new Set(ready.map((each) => each.kind))];
  const partsOf = (kind: string) => parts[kind] ?? words.data?.find((each) => each.key === kind)?.one_page ?? [];
  const unsure = mail && named ? Object.entries(mail).filter(([, to]) => !to.trim()).length : 0;
  return (
    <>
      <nav aria-label="Who gets a report" className="overflow-auto border-line border-r py-3.5">
        <h1 className="truncate px-4">{name || "Reports for many"}</h1>
        <p className="px-4 pb-2 text-[13px] text-soft">
          {rows.length} session{rows.length === 1 ? "" : "s"}, {whose.size} {whose.size === 1 ? "person" : "people"}
        </p>
        {group !== null && (
          <label className="flex items-center gap-2 px-4 py-1">
            <input
              type="checkbox"
              className={box}
              checked={withGroup}
              onChange={(event) => setWithGroup(event.target.checked)}
            />
            Group page
          </label>
        )}
        <h2 className="flex items-baseline px-4 pt-2 pb-1">
          Signed{" "}
          <Button
            look="quiet"
            size="small"
            className="ml-auto"
            onClick={() => setWithout(chosen.length ? ready.map((each) => each.session_id) : [])}
          >
            {chosen.length ? "none" : "all"}
          </Button>
        </h2>
        {ready.length === 0 && <p className="px-4 text-soft">None of them can have a report yet.</p>}
        <ul>
          {ready.map((each) => (
            <Row
              key={each.session_id}
              each={each}
              ticked={!without.includes(each.session_id)}
              here={each === shown}
              onTick={(on) =>
                setWithout(on ? without.filter((id) => id !== each.session_id) : [...without, each.session_id])
              }
              onLook={() => setLooked(each.session_id)}
            />
          ))}
        </ul>
        <StayOut rows={rows.filter((each) => each.why_not)} />
        <Batches />
      </nav>
      {shown ? (
        <Preview session={shown} parts={partsOf(shown.kind)} named={named} />
      ) : (
        <Empty title="No report to write">Sign their reviews off first; then they can be issued together.</Empty>
      )}
      <aside aria-label="What goes in" className="overflow-auto border-line border-l bg-panel px-4 py-4">
        <Parts kinds={kinds} parts={parts} onParts={setParts} />
        <div className="mt-3 grid gap-1.5 border-hair border-t pt-3">
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className={box}
              checked={oneEach}
              onChange={(event) => setOneEach(event.target.checked)}
            />
            all sessions of a person in one report
          </label>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className={box}
              checked={!named}
              onChange={(event) => setNamed(!event.target.checked)}
            />
            without the names
          </label>
          {group !== null && withGroup && (
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className={box}
                checked={!groupNamed}
                onChange={(event) => setGroupNamed(!event.target.checked)}
              />
              group page without names (P1, P2, …)
            </label>
          )}
        </div>
        <h2 className="mt-4 mb-1">Goes out as</h2>
        <p className="text-[13px]">
          PDF: one file to print, or one each; Word and web pages, too, once they are issued.
        </p>
        {named ? (
          <MailEach chosen={chosen} mail={mail} onMail={setMail} />
        ) : (
          <p className="mt-2 text-[13px] text-soft">Without names nothing is mailed to the people.</p>
        )}
        {mail && named && (
          <textarea
            aria-label="A few words in the mail"
            className={`${inputLook} mt-2 min-h-16 py-2`}
            placeholder="a few words in the mail"
            maxLength={2000}
            value={note}
            onChange={(event) => setNote(event.target.value)}
          />
        )}
        <div className="mt-4">
          <Button
            main
            look="primary"
            disabled={issue.isPending || (chosen.length === 0 && !withGroup) || unsure > 0}
            onClick={() => issue.mutate()}
          >
            {issue.isPending
              ? "Beginning …"
              : `Issue ${count + (withGroup && group !== null ? 1 : 0)} report${count === 1 && !withGroup ? "" : "s"}`}
          </Button>
        </div>
        <p className="mt-2 text-[13px] text-soft">
          Each is frozen and numbered with its limits and date
          {mail && named ? `; then ${Object.values(mail).filter((to) => to.trim()).length} are mailed` : ""}. It goes on
          when this page is left.
        </p>
      </aside>
    </>
  );
}

/** Reports of many in one go; one that was begun shows how far it is. */
export default function Many() {
  const { batch } = useParams();
  const [asked] = useSearchParams();
  const ids = useMemo(
    () =>
      (asked.get("sessions") ?? "")
        .split(",")
        .map(Number)
        .filter((id) => id > 0),
    [asked],
  );
  const group = Number(asked.get("group")) || null;
  const name = asked.get("name") ?? "";
  useTitle("Reports", name || undefined);
  if (batch)
    return (
      <main className="h-full overflow-auto">
        <BatchView id={Number(batch)} />
      </main>
    );
  if (ids.length === 0)
    return (
      <main className="h-full overflow-auto px-5 py-4">
        <h1>Reports for many</h1>
        <p className="max-w-[60ch] py-2 text-soft">
          Choose sessions in the register, a group, or all that are signed at Report; then they are issued in one go.
        </p>
        <Batches />
      </main>
    );
  return (
    <main className="grid h-full grid-cols-[200px_minmax(0,1fr)_230px] min-[1180px]:grid-cols-[270px_minmax(0,1fr)_290px]">
      <Desk key={ids.join(",")} ids={ids} group={group} page={asked.get("page") !== "no"} name={name} />
    </main>
  );
}
