import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { kindName, useKindWords } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Tag, Token, Trouble, Verdict } from "@/ui/basics";
import { decimalsOf, hoursMinutes, length, moment, number, unitWords } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { PersonPicker } from "@/ui/person-picker";

type Session = Schemas["Session"];
type Sort = "started" | "length" | "person" | "verdict" | "figure";

interface Column {
  key: string;
  /** The figure that a column of numbers is about. */
  figure?: string;
  name: string;
  sort?: Sort;
  cell: (s: Session) => ReactNode;
}

const COLUMNS: Column[] = [
  {
    key: "person",
    name: "Person",
    sort: "person",
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
    cell: (s) => <span className="whitespace-nowrap">{moment(s.started_at, s.utc_offset_min)}</span>,
  },
  {
    key: "length",
    name: "Length",
    sort: "length",
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

const STANDINGS = [
  ["all", "all that count"],
  ["waiting", "waiting for a look"],
  ["signed", "signed off"],
  ["unclaimed", "unclaimed"],
  ["aside", "kept aside"],
  ["deleted", "deleted"],
] as const;

function useKept<T>(key: string, first: T): [T, (value: T) => void] {
  const [value, setValue] = useState<T>(() => {
    try {
      return JSON.parse(localStorage.getItem(key) ?? "") as T;
    } catch {
      return first;
    }
  });
  return [
    value,
    (now: T) => {
      localStorage.setItem(key, JSON.stringify(now));
      setValue(now);
    },
  ];
}

const PAGE = 100;

/** A figure as a column: its short name and unit above, numbers with as many decimals as they are stated with. */
function numberColumn(
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

/** One list over all sessions: search, filter, sort, pick columns; give, delete with a way back. */
export default function Sessions() {
  const kinds = useKindWords().data ?? [];
  const [words, setWords] = useState("");
  const [standing, setStanding] = useState<(typeof STANDINGS)[number][0]>("all");
  const [kind, setKind] = useState("");
  const [figure, setFigure] = useState("");
  const [since, setSince] = useState("");
  const [until, setUntil] = useState("");
  const [sort, setSort] = useKept<{ by: Sort; falling: boolean }>("sessions.sort", { by: "started", falling: true });
  const [hidden, setHidden] = useKept<string[]>("sessions.hidden", ["kind"]);
  const [page, setPage] = useState(0);
  const [picked, setPicked] = useState<number[]>([]);
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const figures = useQuery({
    queryKey: ["figures", kind],
    queryFn: () => ask(api.GET("/api/kinds/{kind}/figures", { params: { path: { kind } } })),
    enabled: kind !== "",
  });
  const followed = kinds.find((k) => k.key === kind)?.registers ?? [];
  const shown = followed.some((f) => f.figure === figure) || !figure ? followed : [{ figure, label: "" }, ...followed];
  const query = {
    search: words,
    standing,
    kind,
    // Remembered from a list by a figure that is not chosen (any more): by start instead.
    sort: sort.by === "figure" && !figure ? ("started" as const) : sort.by,
    falling: sort.falling,
    limit: PAGE,
    offset: page * PAGE,
    ...(figure ? { figure } : {}),
    ...(shown.length > 0 ? { show: shown.map((f) => f.figure) } : {}),
    ...(since ? { since: new Date(`${since}T00:00`).toISOString() } : {}),
    ...(until ? { until: new Date(new Date(`${until}T00:00`).getTime() + 86_400_000).toISOString() } : {}),
  };
  const sessions = useQuery({
    queryKey: ["sessions", "list", query],
    queryFn: () => ask(api.GET("/api/sessions", { params: { query } })),
    placeholderData: keepPreviousData,
  });
  const rows = sessions.data?.sessions ?? [];
  /** One after the other; those that were done. Signed sessions that refuse are left as they are and counted. */
  const each = async (ids: number[], work: (id: number) => Promise<unknown>) => {
    const done: number[] = [];
    let signed = 0;
    try {
      for (const id of ids)
        try {
          await work(id);
          done.push(id);
        } catch (error) {
          if (!(error instanceof Problem && error.code === "signed")) throw error;
          signed++;
        }
    } catch (error) {
      fail(error);
    }
    setPicked([]);
    queries.invalidateQueries();
    return { done, signed };
  };
  const amount = (count: number) => `${count} session${count === 1 ? "" : "s"}`;
  const restore = (ids: number[]) =>
    each(ids, (id) => ask(api.POST("/api/sessions/{session_id}/restore", { params: { path: { session_id: id } } })));
  const remove = useMutation({
    mutationFn: async (ids: number[]) => {
      const shut = new Set(rows.filter((s) => s.signed_at !== null).map((s) => s.id));
      const { done } = await each(ids, (id) =>
        ask(api.DELETE("/api/sessions/{session_id}", { params: { path: { session_id: id } } })),
      );
      return { done, signed: done.filter((id) => shut.has(id)).length };
    },
    onSuccess: ({ done, signed }) => {
      if (done.length === 0) return;
      const reports = signed ? ` ${signed} of them signed off; their reports stay.` : "";
      say(`${amount(done.length)} deleted here.${reports} Nothing happened on a recorder.`, () => restore(done));
    },
  });
  const giveEach = (ids: number[], to: (id: number) => number | null) =>
    each(ids, (id) =>
      ask(
        api.PATCH("/api/sessions/{session_id}", { params: { path: { session_id: id } }, body: { person_id: to(id) } }),
      ),
    );
  const give = async (person: Schemas["Person"]) => {
    const before = new Map(rows.map((s) => [s.id, s.person_id]));
    const { done, signed } = await giveEach(picked, () => person.id);
    const left = signed
      ? ` ${signed} signed off and left as ${signed === 1 ? "it is" : "they are"}: open again first.`
      : "";
    if (done.length === 0) return say(`Nothing was given to ${person.name}.${left}`);
    say(`${amount(done.length)} given to ${person.name}.${left}`, () => giveEach(done, (id) => before.get(id) ?? null));
  };
  if (sessions.isError && !sessions.data)
    return <Trouble view="Sessions" error={sessions.error} again={() => sessions.refetch()} />;
  if (!sessions.data) return <Loading view="Sessions" what="the sessions" />;
  // The numbers of a kind say what its result in words would say again.
  const columns = COLUMNS.filter((c) => !hidden.includes(c.key) && !(c.key === "figure" && shown.length > 0));
  columns.splice(2, 0, ...shown.map(({ figure: key, label }) => numberColumn(key, label, rows, figures.data)));
  const restart =
    <T,>(set: (value: T) => void) =>
    (value: T) => {
      setPage(0);
      setPicked([]);
      set(value);
    };
  const isSorted = (c: Column) => c.sort === sort.by && (!c.figure || c.figure === figure);
  const filtered = words || standing !== "all" || kind || since || until;
  const select = "min-h-[34px] rounded-md border border-line bg-panel px-2";
  return (
    <main className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <div className="flex flex-wrap items-center gap-2 px-5 pt-[18px] pb-3">
        <h1>Sessions</h1>
        <span className="mr-2 text-soft" role="status">
          {sessions.data.total.toLocaleString()}
          {sessions.data.more ? " or more" : ""}
        </span>
        <input
          className={`${inputLook} max-w-48`}
          placeholder="name, number, recorder, tag"
          aria-label="Find sessions"
          value={words}
          onChange={(e) => restart(setWords)(e.target.value)}
        />
        <select
          aria-label="Which"
          className={select}
          value={standing}
          onChange={(e) => restart(setStanding)(e.target.value as "all")}
        >
          {STANDINGS.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
        {kinds.length > 1 && (
          <select
            aria-label="Kind"
            className={select}
            value={kind}
            onChange={(e) => {
              restart(setKind)(e.target.value);
              setFigure("");
              if (sort.by === "figure") setSort({ by: "started", falling: true });
            }}
          >
            <option value="">every kind</option>
            {kinds.map((k) => (
              <option key={k.key} value={k.key}>
                {k.name}
              </option>
            ))}
          </select>
        )}
        {kind && (figures.data?.length ?? 0) > 0 && (
          <select
            aria-label="Figure"
            className={`${select} max-w-40`}
            value={figure}
            onChange={(e) => {
              restart(setFigure)(e.target.value);
              setSort(e.target.value ? { by: "figure", falling: true } : { by: "started", falling: true });
            }}
          >
            <option value="">list by figure …</option>
            {figures.data?.map((f) => (
              <option key={f.key} value={f.key}>
                {f.unit ? `${f.name}, ${unitWords(f.unit)}` : f.name}
              </option>
            ))}
          </select>
        )}
        <label className="flex items-center gap-1.5 text-soft">
          from
          <input type="date" className={select} value={since} onChange={(e) => restart(setSince)(e.target.value)} />
        </label>
        <label className="flex items-center gap-1.5 text-soft">
          to
          <input type="date" className={select} value={until} onChange={(e) => restart(setUntil)(e.target.value)} />
        </label>
        <span className="ml-auto" />
        {picked.length > 0 && (
          <>
            <PersonPicker label={`Give ${picked.length} to …`} onPick={give} />
            {standing === "deleted" ? (
              <Button onClick={() => restore(picked)}>Bring {picked.length} back</Button>
            ) : (
              <Button disabled={remove.isPending} onClick={() => remove.mutate(picked)}>
                {remove.isPending ? "Deleting …" : `Delete ${picked.length} here`}
              </Button>
            )}
          </>
        )}
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <Button>Columns</Button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content
              align="end"
              sideOffset={6}
              className="z-50 rounded-lg border border-line bg-panel p-1.5 shadow-xl"
            >
              {COLUMNS.slice(1).map((c) => (
                <DropdownMenu.CheckboxItem
                  key={c.key}
                  checked={!hidden.includes(c.key)}
                  onSelect={(e) => e.preventDefault()}
                  onCheckedChange={(on) => setHidden(on ? hidden.filter((h) => h !== c.key) : [...hidden, c.key])}
                  className="flex cursor-pointer items-center gap-2 rounded px-3 py-1 outline-none data-[highlighted]:bg-act-soft"
                >
                  <span className="w-3">{hidden.includes(c.key) ? "" : "✓"}</span>
                  {c.name}
                </DropdownMenu.CheckboxItem>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </div>
      <div className="overflow-auto px-5 pb-5">
        {rows.length === 0 ? (
          <Empty
            title={filtered ? "No session matches" : "No session yet"}
            action={
              filtered ? (
                <Button
                  onClick={() => {
                    setWords("");
                    setStanding("all");
                    setKind("");
                    setSince("");
                    setUntil("");
                  }}
                >
                  Show all sessions
                </Button>
              ) : undefined
            }
          >
            {filtered ? "Something above narrows the list." : "Take a recorder's sessions in; they are listed here."}
          </Empty>
        ) : (
          <table className="w-full">
            <thead className="sticky top-0 bg-salt text-left font-narrow text-[12.5px] text-soft">
              <tr>
                <th className="w-8 px-2 py-1">
                  <input
                    type="checkbox"
                    aria-label="Choose all on this page"
                    className="size-4 align-middle accent-(--act)"
                    checked={picked.length === rows.length}
                    onChange={(e) => setPicked(e.target.checked ? rows.map((s) => s.id) : [])}
                  />
                </th>
                {columns.map((c) => (
                  <th
                    key={c.key}
                    className={`px-2 font-medium ${c.figure ? "text-right" : ""}`}
                    aria-sort={isSorted(c) ? (sort.falling ? "descending" : "ascending") : undefined}
                  >
                    {c.sort ? (
                      <button
                        type="button"
                        className={`font-medium hover:text-ink ${c.figure ? "text-right" : "text-left"}`}
                        onClick={() => {
                          const first = c.sort === "started" || c.sort === "figure";
                          setSort({ by: c.sort ?? "started", falling: isSorted(c) ? !sort.falling : first });
                          if (c.figure) restart(setFigure)(c.figure);
                        }}
                      >
                        {c.name} {isSorted(c) ? (sort.falling ? "↓" : "↑") : ""}
                      </button>
                    ) : (
                      c.name
                    )}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((s) => (
                <tr
                  key={s.id}
                  className={`border-line border-t ${picked.includes(s.id) ? "bg-act-soft" : "hover:bg-hair"}`}
                >
                  <td className="px-2 py-1">
                    <input
                      type="checkbox"
                      aria-label={`Choose ${s.person || "unclaimed"}, ${moment(s.started_at, s.utc_offset_min)}`}
                      className="size-4 align-middle accent-(--act)"
                      checked={picked.includes(s.id)}
                      onChange={(e) =>
                        setPicked(e.target.checked ? [...picked, s.id] : picked.filter((p) => p !== s.id))
                      }
                    />
                  </td>
                  {columns.map((c) => (
                    <td key={c.key} className="px-2 py-1">
                      {c.cell(s)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {sessions.data.total > PAGE && (
          <div className="flex items-center gap-3 pt-3">
            <Button disabled={page === 0} onClick={() => setPage(page - 1)}>
              Newer
            </Button>
            <span className="text-soft">
              {page * PAGE + 1} to {page * PAGE + rows.length} of {sessions.data.total.toLocaleString()}
              {sessions.data.more ? " or more" : ""}
            </span>
            <Button disabled={(page + 1) * PAGE >= sessions.data.total} onClick={() => setPage(page + 1)}>
              Older
            </Button>
          </div>
        )}
      </div>
    </main>
  );
}
