import { useQuery } from "@tanstack/react-query";
import { Suspense, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { compareOf, severalOf, useKindWords } from "@/kinds/kinds";
import { newest } from "@/limits/rules";
import { type Assessed, isAssessed, settingOf } from "@/sheet/assessed";
import { Heading } from "@/sheet/Heading";
import { Button, Empty, Loading, Trouble, Verdict, Warn } from "@/ui/basics";
import type { Kept } from "@/ui/conclusion";
import { day, number, unitWords } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { useTitle } from "@/ui/title";
import { reviewOf } from "./ahead";
import { Conclusion } from "./Conclusion";
import { useReview } from "./useReview";

type Session = Schemas["Session"];
type Comparison = Schemas["Comparison"];

const longWords = (seconds: number) =>
  seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`;
const onDay = (s: Session) => day(s.started_at, s.utc_offset_min, true);
const shortDay = (s: Session) => day(s.started_at, s.utc_offset_min).replace(/ \d{4}$/, "");

/** The person's recordings of a kind: two of them are picked, the older one stands left. */
function Recordings({
  sessions,
  before,
  after,
  onPick,
}: {
  sessions: Session[];
  before: number | null;
  after: number;
  onPick: (id: number) => void;
}) {
  return (
    <ul className="mt-1">
      {sessions.map((s) => {
        const place = s.id === after ? "after" : s.id === before ? "before" : "";
        return (
          <li key={s.id}>
            <button
              type="button"
              aria-pressed={place !== ""}
              onClick={() => onPick(s.id)}
              className={`block w-full border-l-3 px-4 py-2 text-left ${place ? "border-brass bg-panel" : "border-transparent hover:bg-hair"}`}
            >
              <span className="flex items-center justify-between gap-2">
                <b className="font-medium">{onDay(s)}</b>
                {place && (
                  <span
                    className={`rounded px-1.5 font-medium text-[12.5px] ${place === "after" ? "bg-act text-on-act" : "border border-soft border-dashed"}`}
                  >
                    {place}
                  </span>
                )}
              </span>
              <span className="flex justify-between gap-2 text-[13px] text-soft">
                <span className="min-w-0 truncate">
                  {[s.token, longWords(s.length_s), s.key_figure].filter(Boolean).join(", ")}
                </span>
                <Verdict verdict={s.verdict} words={s.verdict_step || undefined} bare />
              </span>
            </button>
          </li>
        );
      })}
    </ul>
  );
}

function Marked({ question }: { question: Schemas["CompareQuestion"] }) {
  const { holds, text, about, needed } = question;
  const verdict = holds === null ? "" : holds ? "within" : needed ? "not assessable" : "action level reached";
  return (
    <li className="border-hair border-t py-1">
      <span className="flex justify-between gap-2">
        {text}
        {holds === null ? (
          <span className="text-soft">?</span>
        ) : (
          <Verdict verdict={verdict} words={holds ? "yes" : "no"} bare />
        )}
      </span>
      {about && <span className="block text-[12.5px] text-soft">{about}</span>}
    </li>
  );
}

/** What moved no more than it does from day to day, and what nobody can say that of. */
function notAChange(comparison: Comparison): string[] {
  const foremost = comparison.changes.slice(0, 8);
  const words = (c: Schemas["FigureChange"]) =>
    `${c.label} ${(c.difference ?? 0) > 0 ? "+" : ""}${number(c.difference, c.decimals)} ${c.unit === "%" ? "points" : unitWords(c.unit)}`;
  const within = foremost.filter((c) => c.standing === "within").map(words);
  const unknown = foremost.filter((c) => c.standing === "not known" && c.difference !== null);
  const said = [];
  if (within.length > 0) said.push(`${within.join(", ")}: so much it moves from day to day by itself.`);
  if (unknown.length > 0) {
    const most = Math.max(...unknown.map((c) => c.span.recordings));
    const there = `${most} recording${most === 1 ? "" : "s"} up to the first of the two, 3 needed`;
    const all = unknown.length === foremost.length;
    said.push(
      `${all ? "How much these figures move" : `How much ${unknown.map((c) => c.label).join(", ")} moves`} from day to day is not known: ${there}, and no span is set. A difference alone is not yet a change.`,
    );
  }
  return said;
}

function Side({
  after,
  review,
  comparison,
  person,
  onSwap,
}: {
  after: Assessed;
  review: ReturnType<typeof useReview>;
  comparison: Comparison;
  person: string;
  onSwap: () => void;
}) {
  const kept = useRef<Kept | null>(null);
  const navigate = useNavigate();
  const { fail, say } = useNotices();
  const [signing, setSigning] = useState(false);
  const locked = after.session.signed_at !== null;
  const isIn = settingOf(after, "compared_with") === comparison.before;
  const row = (what: string, a: string, b: string, changed = a !== b) => (
    <tr key={what} className="border-hair border-t">
      <td className="py-1 pr-1">{what}</td>
      <td className="pr-1 text-right text-soft">{a || "none"}</td>
      <td className={`text-right ${changed ? "font-semibold" : "text-soft"}`}>{b || "none"}</td>
    </tr>
  );
  const sign = async () => {
    setSigning(true);
    try {
      const version = (await kept.current?.settle()) ?? after.conclusion_version;
      if (!isIn && !comparison.why_not && !(await review.set("compared_with", comparison.before))) return;
      if (await review.sign(version)) say(`Signed, with the comparison as a page of ${person}’s report.`);
    } catch (error) {
      fail(error);
    } finally {
      setSigning(false);
    }
  };
  return (
    <aside aria-label="What was different" className="overflow-auto border-line border-l bg-panel px-4 py-3.5">
      <Heading>What was different</Heading>
      <table className="w-full text-[13px]">
        <thead className="text-right font-narrow text-[12.5px] text-soft">
          <tr>
            <th>
              <span className="sr-only">What</span>
            </th>
            <th className="font-medium">before</th>
            <th className="pl-1 font-medium">after</th>
          </tr>
        </thead>
        <tbody>
          {comparison.medicines.map((m) => row(m.name, m.before, m.after, m.changed))}
          {comparison.differing.map((d) => row(d.what, d.before, d.after, false))}
        </tbody>
      </table>
      {comparison.medicines.length + comparison.differing.length === 0 && (
        <p className="text-[13px] text-soft">Nothing that was said of them.</p>
      )}
      {comparison.changed_on && (
        <p className="border-hair border-t py-1 text-[13px] text-soft">
          What is taken changed last on {day(`${comparison.changed_on}T12:00:00Z`, 0, true)}.
        </p>
      )}
      <Heading>Can they be compared?</Heading>
      <ul className="text-[13px]">
        {comparison.questions.map((q) => (
          <Marked key={q.text} question={q} />
        ))}
      </ul>
      {!comparison.why_not && notAChange(comparison).length > 0 && (
        <>
          <Heading>Not a change</Heading>
          {notAChange(comparison).map((words) => (
            <p key={words} className="pb-1 text-[13px] text-soft">
              {words}
            </p>
          ))}
        </>
      )}
      <Heading>{`Conclusion, ${shortDay(after.session)}`}</Heading>
      <Conclusion key={`${after.session.id} ${locked}`} review={after} actions={review} locked={locked} kept={kept} />
      <div className="mt-2 flex flex-wrap gap-2">
        {locked ? (
          <Button main look="primary" onClick={() => navigate(`/report/${after.session.id}`)}>
            To the report
          </Button>
        ) : (
          <Button main look="primary" disabled={signing} onClick={sign}>
            {signing ? "Signing …" : `Sign off ${shortDay(after.session)}`}
          </Button>
        )}
        <Button look="quiet" onClick={onSwap}>
          Change sides
        </Button>
      </div>
      <p className="mt-2 text-[13px] text-soft">
        {locked
          ? isIn
            ? "The comparison is a page of its report."
            : "Signed without this comparison."
          : comparison.why_not
            ? "Without differences no comparison goes into the report."
            : "The comparison goes into the report as one page."}
      </p>
    </aside>
  );
}

function Pair({
  before,
  after,
  sets,
  onSwap,
}: {
  before: number;
  after: number;
  sets: Schemas["LimitSet"][];
  onSwap: () => void;
}) {
  const [limitSetId, setLimitSetId] = useState<number | null>(null);
  const old = useQuery(reviewOf(before, limitSetId));
  const review = useReview(after);
  const kinds = useKindWords().data;
  const { look } = review;
  useEffect(() => {
    if (limitSetId !== null) look(limitSetId);
  }, [limitSetId, look]);
  const found = useQuery({
    queryKey: ["review", after, "comparison", before, limitSetId],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/comparison", {
          params: {
            path: { session_id: after },
            query: { before, ...(limitSetId === null ? {} : { limit_set_id: limitSetId }) },
          },
        }),
      ),
  });
  const error = found.error ?? old.error ?? review.query.error;
  if (error) return <Trouble heading="Two recordings" error={error} again={() => void found.refetch()} />;
  const [a, b] = [old.data, review.query.data];
  if (!a || !b || !found.data || !isAssessed(a) || !isAssessed(b))
    return <Loading heading="Two recordings" what="both recordings" />;
  const kind = kinds?.find((k) => k.key === b.session.kind);
  const Own = compareOf(b.session.kind);
  const Both = severalOf(b.session.kind);
  const comparison = found.data;
  if (!kind) return <Loading heading="Two recordings" what="the words of this kind" />;
  return (
    <>
      <section aria-label="Comparison" className="min-w-0 overflow-auto px-[18px] py-3.5">
        <div className="flex flex-wrap items-baseline gap-x-3">
          <h1 className="max-w-full truncate">{b.session.person}</h1>
          <span className="truncate text-soft">
            {kind.name.toLowerCase()}, {shortDay(a.session)} and {shortDay(b.session)}
          </span>
          <span className="ml-auto text-[15px]">
            <Verdict verdict={b.reviewed.verdict} words={comparison.in_words || comparison.why_not} />
          </span>
        </div>
        <label className="mt-1.5 flex items-center gap-2 text-[13px] text-soft">
          Limits
          <select
            className="min-h-7 rounded border border-line bg-panel px-1.5 text-ink"
            value={limitSetId ?? comparison.limit_set_id}
            onChange={(e) => setLimitSetId(Number(e.target.value))}
          >
            {sets.map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}, {l.version}
              </option>
            ))}
          </select>
          {limitSetId !== null && <span className="text-action">only looking, at both</span>}
        </label>
        {comparison.why_not && (
          <div className="mt-2.5">
            <Warn>
              <b className="font-semibold">No differences are told.</b> {comparison.why_not}.
            </Warn>
          </div>
        )}
        <Suspense fallback={<Loading what="the pictures" />}>
          {Both && <Both all={[a, b]} names={[a, b].map((each) => onDay(each.session))} />}
          <Own before={a} after={b} comparison={comparison} kind={kind} />
        </Suspense>
      </section>
      <Side
        after={b}
        review={review}
        comparison={comparison}
        person={b.session.person.split(" ")[0] ?? ""}
        onSwap={onSwap}
      />
    </>
  );
}

/** Left the recordings of a person, middle two of them side by side, right what else was different. */
export default function Compare() {
  const id = Number(useParams().id);
  const [asked, setAsked] = useSearchParams();
  const navigate = useNavigate();
  const first = useQuery({
    queryKey: ["sessions", "one", id],
    queryFn: () => ask(api.GET("/api/sessions/{session_id}", { params: { path: { session_id: id } } })),
  });
  const person = first.data?.person_id ?? null;
  const kind = first.data?.kind;
  const own = useQuery({
    queryKey: ["sessions", "of", person, kind],
    queryFn: () =>
      ask(api.GET("/api/sessions", { params: { query: { person_id: person ?? 0, kind: kind ?? "", limit: 100 } } })),
    enabled: person !== null && kind !== undefined,
  });
  const sets = useQuery({ queryKey: ["limit-sets"], queryFn: () => ask(api.GET("/api/limit-sets")) });
  useTitle("Compare", first.data?.person);
  if (first.isError) return <Trouble view="Two recordings" error={first.error} again={() => first.refetch()} />;
  if (first.data && person === null)
    return (
      <Empty view="Two recordings" title="Nobody’s recording">
        Recordings are compared of one person: claim this one first.
      </Empty>
    );
  if (!first.data || !own.data || !sets.data)
    return <Loading view="Two recordings" what="the recordings of this person" />;
  const list = own.data.sessions.filter((s) => s.figures === "assessed");
  const others = list.filter((s) => s.id !== id);
  const older = others.filter((s) => s.started_at < (first.data?.started_at ?? ""));
  const wanted = others.find((s) => s.id === Number(asked.get("with")));
  const other = wanted ?? older.find((s) => s.verdict !== "not assessable") ?? older[0] ?? others[0];
  // The older one stands left, unless the sides were changed.
  const inOrder = other && other.started_at < first.data.started_at ? [other.id, id] : [id, other?.id ?? id];
  const [before = id, after = id] = asked.get("swap") ? [...inOrder].reverse() : inOrder;
  const ofKind = newest(sets.data.filter((l) => l.kind === kind));
  /** A click takes the place of the earlier pick; the two that stand there stay two. */
  const pick = (chosen: number) => {
    if (chosen === id || chosen === other?.id) return;
    setAsked({ with: String(chosen) }, { replace: true });
  };
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_220px] grid-rows-[auto_minmax(0,1fr)] min-[960px]:grid-cols-[190px_minmax(0,1fr)_240px] min-[960px]:grid-rows-[minmax(0,1fr)] min-[1180px]:grid-cols-[232px_minmax(0,1fr)_268px]">
      <nav
        aria-label="Recordings"
        className="overflow-auto border-line border-r py-3.5 max-[959px]:col-span-2 max-[959px]:max-h-44"
      >
        <h2 className="px-4">{first.data.person.split(" ")[0]}’s recordings</h2>
        <p className="px-4 text-[13px] text-soft">pick one to lay beside; the older stands left</p>
        <Recordings sessions={list} before={before} after={after} onPick={pick} />
        <Link className="mx-4 mt-2 inline-block min-h-6 text-[13px] text-act hover:underline" to={`/review/${id}`}>
          Back to the review
        </Link>
      </nav>
      {other ? (
        <Pair
          key={`${before} ${after}`}
          before={before}
          after={after}
          sets={ofKind}
          onSwap={() => {
            const next: Record<string, string> = { with: String(other.id) };
            if (!asked.get("swap")) next.swap = "1";
            navigate({ search: `?${new URLSearchParams(next)}` }, { replace: true });
          }}
        />
      ) : (
        <Empty heading="Two recordings" title="Only one recording">
          {first.data.person} has one recording of this kind. A second one can be laid beside it.
        </Empty>
      )}
    </main>
  );
}
