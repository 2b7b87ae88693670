import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask } from "@/api/client";
import { Checks } from "@/features/plan/Checks";
import { kindName, useKindWords } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Trouble, Verdict, Warn } from "@/ui/basics";
import { day, moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { useTitle } from "@/ui/title";
import { IssuedHere } from "./IssuedHere";

/** A page as the server drew it. */
function Page({ url, number }: { url: string; number: number }) {
  return (
    <img
      src={url}
      alt={`Page ${number} of the report`}
      className="mx-auto mb-5 w-full max-w-[760px] bg-white shadow-[0_1px_8px_#1d2b3333]"
    />
  );
}

function Ready({ chosen }: { chosen: number | null }) {
  const navigate = useNavigate();
  const ready = useQuery({
    queryKey: ["sessions", "unreported"],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query: { standing: "unreported", limit: 200 } } })),
  });
  return (
    <>
      <h2 className="px-4 pb-2">Signed, no report yet</h2>
      {ready.data?.total === 0 && <p className="px-4 pb-2 text-soft">None.</p>}
      {(ready.data?.sessions.length ?? 0) > 1 && (
        <Link
          className="block px-4 pb-2 text-act hover:underline"
          to={`/report/many?sessions=${ready.data?.sessions.map((s) => s.id).join(",")}`}
        >
          all {ready.data?.sessions.length} in one go
        </Link>
      )}
      <ul>
        {ready.data?.sessions.map((s) => (
          <li key={s.id}>
            <button
              type="button"
              aria-current={s.id === chosen}
              onClick={() => navigate(`/report/${s.id}`)}
              className={`block w-full border-l-3 px-4 py-1.5 text-left ${s.id === chosen ? "border-brass bg-panel" : "border-transparent hover:bg-hair"}`}
            >
              <span className="flex gap-2">
                <b className="min-w-0 flex-1 truncate font-medium">{s.person || "Unclaimed"}</b>
                <Verdict verdict={s.verdict} words={s.verdict_step || undefined} bare />
              </span>
              <span className="block truncate text-[12.5px] text-soft">
                {kindName(s.kind)}, {moment(s.started_at, s.utc_offset_min)}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

const MOST_CHECKS = 3;

/** What is overdue of the recorders whose recordings are to be put on paper; the rest of them stands at the bench. */
function Overdue() {
  const plan = useQuery({ queryKey: ["plan"], queryFn: () => ask(api.GET("/api/plan")) });
  const overdue = plan.data?.checks.filter((check) => check.overdue) ?? [];
  if (overdue.length === 0) return null;
  return (
    <div className="px-4">
      <Checks checks={overdue.slice(0, MOST_CHECKS)} />
      <Link className="block py-1 text-[13px] text-act hover:underline" to="/bench">
        {overdue.length > MOST_CHECKS ? `all ${overdue.length} overdue, at the bench` : "to the bench"}
      </Link>
    </div>
  );
}

function Issued() {
  const [words, setWords] = useState("");
  const [limit, setLimit] = useState(30);
  const issued = useQuery({
    queryKey: ["reports", words, limit],
    queryFn: () => ask(api.GET("/api/reports", { params: { query: { search: words, limit } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <h2 className="px-4 pt-4 pb-1.5">Issued</h2>
      <div className="px-4 pb-2">
        <input
          className={inputLook}
          placeholder="name or report number"
          aria-label="Find an issued report"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      </div>
      {issued.data?.total === 0 && <p className="px-4 text-soft">{words ? "No report of that name." : "None yet."}</p>}
      <ul>
        {issued.data?.reports.map((r) => (
          <li key={r.id}>
            <a className="block px-4 py-1.5 hover:bg-hair" href={`/api/reports/${r.id}/pdf`} download>
              <b className="block truncate font-medium">{r.title.split(",")[0]}</b>
              <span className="block truncate text-[12.5px] text-soft">
                {r.number}, {day(r.issued_at)}, {r.pages} page{r.pages === 1 ? "" : "s"}
              </span>
            </a>
          </li>
        ))}
      </ul>
      {(issued.data?.total ?? 0) > limit && (
        <Button look="quiet" className="ml-1" onClick={() => setLimit(limit + 100)}>
          {Math.min((issued.data?.total ?? 0) - limit, 100)} more
        </Button>
      )}
    </>
  );
}

/** Where somebody lives need not be told to whom a course is given. */
const HIDDEN_M = 300;

function Desk({ id }: { id: number }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say, fail } = useNotices();
  const [parts, setParts] = useState<string[] | null>(null);
  const [named, setNamed] = useState(true);
  const [hidden, setHidden] = useState(false);
  const kinds = useKindWords();
  const path = { session_id: id };
  const session = useQuery({
    queryKey: ["sessions", "one", id],
    queryFn: () => ask(api.GET("/api/sessions/{session_id}", { params: { path } })),
  });
  const kind = session.data?.kind;
  const words = kinds.data?.find((each) => each.key === kind);
  useTitle("Report", session.data?.person);
  const choices = useQuery({
    queryKey: ["report-parts", kind],
    queryFn: () => ask(api.GET("/api/report-parts/{kind}", { params: { path: { kind: kind ?? "" } } })),
    enabled: kind !== undefined,
  });
  const chosen = parts ?? choices.data?.one_page ?? [];
  const options = { parts: chosen, named };
  const pages = useQuery({
    queryKey: ["review", id, "pages", options],
    queryFn: () => ask(api.POST("/api/sessions/{session_id}/report-pages", { params: { path }, body: options })),
    enabled: choices.data !== undefined,
    placeholderData: keepPreviousData,
  });
  const issue = useMutation({
    mutationFn: () => ask(api.POST("/api/sessions/{session_id}/reports", { params: { path }, body: options })),
    onSuccess: (report) => {
      queries.invalidateQueries({ queryKey: ["reports"] });
      queries.invalidateQueries({ queryKey: ["sessions"] });
      queries.invalidateQueries({ queryKey: ["line"] });
      say(`Report ${report.number} is issued and frozen.`);
      window.location.assign(`/api/reports/${report.id}/pdf`);
    },
    onError: fail,
  });
  if (session.isError) return <Trouble heading="Report" error={session.error} again={() => session.refetch()} />;
  if (!session.data || !choices.data) return <Loading heading="Report" what="the report" />;
  const every = Object.keys(choices.data.parts);
  const isFull = chosen.length === every.length;
  const isOnePage =
    chosen.length === choices.data.one_page.length && choices.data.one_page.every((p) => chosen.includes(p));
  const signed = session.data.signed_at !== null;
  return (
    <>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, and holds nothing else that takes the focus */}
      <section aria-label="Pages" tabIndex={0} className="overflow-auto px-6 py-5">
        {pages.isError && <Trouble error={pages.error} again={() => pages.refetch()} />}
        {!pages.data && !pages.isError && <Loading what="the pages" />}
        {pages.data?.notes.map((note) => (
          <Warn key={note}>{note}</Warn>
        ))}
        {pages.data?.pages.map((url, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: pages have no other identity
          <Page key={i} url={url} number={i + 1} />
        ))}
      </section>
      <aside aria-label="Parts" className="overflow-auto border-line border-l bg-panel px-4 py-4">
        <h1 className="mb-1 truncate">{session.data.person || "Unclaimed"}</h1>
        <p className="mb-4 text-[13px] text-soft">
          {kindName(session.data.kind)}, {moment(session.data.started_at, session.data.utc_offset_min)}
        </p>
        <fieldset className="mb-3 flex" aria-label="Length">
          <Button
            className="rounded-r-none"
            look={isOnePage ? "primary" : "plain"}
            aria-pressed={isOnePage}
            onClick={() => setParts(null)}
          >
            One page
          </Button>
          <Button
            className="rounded-l-none border-l-0"
            look={isFull ? "primary" : "plain"}
            aria-pressed={isFull}
            onClick={() => setParts(every)}
          >
            Full
          </Button>
        </fieldset>
        {choices.data.forms.length > 0 && (
          <p className="mb-3 flex flex-wrap gap-2">
            {choices.data.forms.map((form) => (
              <Button
                key={form.label}
                size="small"
                aria-pressed={
                  named === form.named &&
                  chosen.length === form.parts.length &&
                  form.parts.every((part) => chosen.includes(part))
                }
                onClick={() => {
                  setParts(form.parts);
                  setNamed(form.named);
                }}
              >
                {form.label}
                {form.named ? "" : ", without a name"}
              </Button>
            ))}
          </p>
        )}
        <fieldset className="grid gap-1.5">
          <legend className="mb-1.5 text-[13px] text-soft">Parts</legend>
          {Object.entries(choices.data.parts).map(([key, name]) => (
            <label key={key} className="flex items-center gap-2">
              <input
                type="checkbox"
                className="size-4 accent-(--act)"
                checked={chosen.includes(key)}
                onChange={(e) => setParts(e.target.checked ? [...chosen, key] : chosen.filter((p) => p !== key))}
              />
              {name}
            </label>
          ))}
          <label className="mt-2 flex items-center gap-2 border-hair border-t pt-2">
            <input
              type="checkbox"
              className="size-4 accent-(--act)"
              checked={!named}
              onChange={(e) => setNamed(!e.target.checked)}
            />
            without the name
          </label>
        </fieldset>
        <p className="my-3 text-[13px] text-soft" role="status">
          {pages.data ? `${pages.data.pages.length} page${pages.data.pages.length === 1 ? "" : "s"}` : ""}
        </p>
        {signed ? (
          <>
            <Button
              main
              look="primary"
              onClick={() => issue.mutate()}
              disabled={issue.isPending || chosen.length === 0}
            >
              {issue.isPending ? "Issuing …" : session.data.report ? "Issue again, PDF" : "Issue, PDF"}
            </Button>
            <p className="mt-2 text-[13px] text-soft">
              Issuing freezes the pages, the limits used and the date. It is found again in the list on the left.
            </p>
          </>
        ) : (
          <>
            <p className="mb-2">Not signed off yet. These are the pages as they would be.</p>
            <Button look="primary" onClick={() => navigate(`/review/${id}`)}>
              To the review
            </Button>
          </>
        )}
        <p className="mt-4 flex flex-wrap gap-x-4 border-hair border-t pt-3 text-[13px]">
          <span className="w-full text-soft">To go on working with, not a record:</span>
          <a className="min-h-6 text-act hover:underline" href={`/api/sessions/${id}/file?form=xlsx`} download>
            Workbook (XLSX)
          </a>
          <a className="min-h-6 text-act hover:underline" href={`/api/sessions/${id}/file?form=csv`} download>
            Samples (CSV)
          </a>
          {words?.exports.includes("edf") && (
            <a className="min-h-6 text-act hover:underline" href={`/api/sessions/${id}/file?form=edf`} download>
              EDF+ with annotations
            </a>
          )}
          {words?.exports.includes("gpx") && (
            <>
              <a
                className="min-h-6 text-act hover:underline"
                href={`/api/sessions/${id}/file?form=gpx${hidden ? `&without_m=${HIDDEN_M}` : ""}`}
                download
              >
                Course (GPX)
              </a>
              <label className="flex w-full items-center gap-2">
                <input
                  type="checkbox"
                  className="size-4 accent-(--act)"
                  checked={hidden}
                  onChange={(e) => setHidden(e.target.checked)}
                />
                without {HIDDEN_M} m around start and end
              </label>
            </>
          )}
        </p>
        <IssuedHere sessionId={id} kind={session.data.kind} />
      </aside>
    </>
  );
}

/** Left what can be issued and what was, middle the true pages, right what goes in. */
export default function Report() {
  const { id } = useParams();
  const first = useQuery({
    queryKey: ["sessions", "unreported"],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query: { standing: "unreported", limit: 200 } } })),
  });
  const next = first.data?.sessions[0]?.id;
  const navigate = useNavigate();
  useEffect(() => {
    if (!id && next !== undefined) navigate(`/report/${next}`, { replace: true });
  }, [id, next, navigate]);
  const chosen = id ? Number(id) : (next ?? null);
  return (
    <main className="grid h-full grid-cols-[170px_minmax(0,1fr)_200px] min-[960px]:grid-cols-[220px_minmax(0,1fr)_230px] min-[1180px]:grid-cols-[248px_minmax(0,1fr)_268px]">
      <nav aria-label="Reports" className="overflow-auto border-line border-r py-3.5">
        <Ready chosen={chosen} />
        <Overdue />
        <Issued />
      </nav>
      {chosen === null ? (
        first.isSuccess ? (
          <Empty heading="Report" title="No report to write">
            Sign a review off first; then its page of paper is written here.
          </Empty>
        ) : (
          <Loading heading="Report" what="what is signed" />
        )
      ) : (
        <Desk key={chosen} id={chosen} />
      )}
    </main>
  );
}
