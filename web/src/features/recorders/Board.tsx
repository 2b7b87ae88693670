import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { usePlan } from "@/features/plan/usePlan";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Trouble } from "@/ui/basics";
import { ChosenBar } from "@/ui/chosen-bar";
import { BoardToken, tokenWords } from "./BoardToken";
import { Life } from "./Life";
import { LookedIn } from "./LookedIn";
import { OutList } from "./OutList";
import { CELLS, type Cell, type OnBoard, useBoard, useSetRight } from "./useBoard";

const FOLD = 12;
type By = "kind" | "place";

const rowOf = (each: OnBoard, by: By) =>
  by === "kind" ? kindName(each.kind) : each.place ? each.place.replace(/,? bay \d+$/, "") : "not in reach";

function inWords(each: OnBoard, words: string): boolean {
  const wanted = words.trim().toLowerCase();
  return !wanted || [each.token, each.name, each.holder, each.words].some((w) => w.toLowerCase().includes(wanted));
}

/** Tokens of one kind and state, in groups that share a word. */
function grouped(all: OnBoard[], cell: Cell): [string, OnBoard[]][] {
  const found = new Map<string, OnBoard[]>();
  for (const each of all) {
    const word =
      cell === "go" ? each.place.replace(/,? bay \d+$/, "") : cell === "out" ? (each.late ? "late" : "") : each.words;
    found.set(word, [...(found.get(word) ?? []), each]);
  }
  return [...found].sort((a, b) => Number(b[0] === "late") - Number(a[0] === "late"));
}

/** The board: a row a kind (or a place), a column a state; every recorder is in one cell. */
export function Board({ head }: { head: React.ReactNode }) {
  const found = useBoard();
  const plan = usePlan().found.data;
  const right = useSetRight();
  const [address] = useSearchParams();
  const come = address.get("find") ?? "";
  const [words, setWords] = useState(come);
  const [came, setCame] = useState("");
  const [by, setBy] = useState<By>("kind");
  const [open, setOpen] = useState<number | null>(null);
  const [cell, setCell] = useState<{ row: string; cell: Cell } | null>(null);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [last, setLast] = useState<number | null>(null);
  useEffect(() => {
    const none = (event: KeyboardEvent) => {
      if (event.key === "Escape" && !event.defaultPrevented) setChosen(new Set());
    };
    window.addEventListener("keydown", none);
    return () => window.removeEventListener("keydown", none);
  }, []);
  if (found.isError && !found.data)
    return <Trouble view="Recorders" error={found.error} again={() => found.refetch()} />;
  if (!found.data) return <Loading view="Recorders" what="the recorders" />;
  const every = found.data;
  // Words that come with the address narrow it, and the one that they name is opened.
  if (came !== come) {
    setCame(come);
    setWords(come);
    setOpen(every.find((each) => each.token === come)?.recorder_id ?? null);
  }
  const all = every.filter((each) => inWords(each, words));
  const rows = [...new Set(every.map((each) => rowOf(each, by)))].sort((a, b) => a.localeCompare(b));
  const of = (of: Cell) => all.filter((each) => each.cell === of);
  const pressable = of("press");
  const picked = every.filter((each) => chosen.has(each.recorder_id));
  const opened = every.find((each) => each.recorder_id === open);
  const late = of("out").filter((each) => each.late).length;
  const press = (each: OnBoard, many: boolean, span: boolean, among: OnBoard[]) => {
    if (!many && !span) {
      setOpen(each.recorder_id === open ? null : each.recorder_id);
      return;
    }
    const next = new Set(chosen);
    const from = among.findIndex((a) => a.recorder_id === last);
    const to = among.indexOf(each);
    const some = span && from >= 0 ? among.slice(Math.min(from, to), Math.max(from, to) + 1) : [each];
    for (const one of some) {
      if (!span && next.has(one.recorder_id)) next.delete(one.recorder_id);
      else next.add(one.recorder_id);
    }
    setChosen(next);
    setLast(each.recorder_id);
  };
  const wantedOf = (kind: string) => plan?.kinds.find((k) => kindName(k.kind) === kind)?.wanted[0] ?? 0;
  return (
    <main
      className={`grid h-full grid-rows-[minmax(0,1fr)_auto] ${opened ? "min-[1100px]:grid-cols-[minmax(0,1fr)_352px]" : ""}`}
    >
      <div className="overflow-auto px-5 pt-[18px] pb-[18px]">
        <header className="mb-1.5 flex flex-wrap items-center gap-2">
          <h1>Recorders</h1>
          <span className="mr-1 text-soft" role="status">
            {every.length}
          </span>
          <input
            className={`${inputLook} max-w-52`}
            placeholder="token, name, who has it"
            aria-label="Find recorders"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <select
            aria-label="A row for each"
            className="min-h-[34px] rounded-md border border-line bg-panel px-2"
            value={by}
            onChange={(e) => setBy(e.target.value as By)}
          >
            <option value="kind">a row a kind</option>
            <option value="place">a row a place</option>
          </select>
          {head}
        </header>
        <div className="flex flex-wrap items-start gap-3">
          <div className="min-w-0 flex-1">
            <LookedIn />
          </div>
          {pressable.length > 0 && (
            <Button
              look="primary"
              disabled={right.isPending}
              onClick={() => right.mutate(pressable.map((each) => each.recorder_id))}
            >
              Set {pressable.length} right, no hand needed
            </Button>
          )}
        </div>
        {every.length === 0 ? (
          <Empty title="No recorder was seen yet">
            Put one in the dock or plug it in. It shows here by itself within a few seconds.
          </Empty>
        ) : (
          <div className="overflow-x-auto rounded-lg border border-line bg-panel">
            <table className="w-full min-w-[820px] table-fixed border-collapse">
              <colgroup>
                <col className="w-[120px]" />
                <col />
                <col />
                <col className="w-[25%]" />
                <col />
                <col className="w-[13%]" />
              </colgroup>
              <thead>
                <tr className="border-line border-b text-left align-top">
                  <th scope="col" className="px-2.5 py-1.5 font-normal text-[13px] text-soft">
                    {by === "kind" ? "Kind" : "Place"}
                  </th>
                  {CELLS.map(([key, name, hint]) => (
                    <th key={key} scope="col" className="border-hair border-l px-2.5 py-1.5 font-normal">
                      <button
                        type="button"
                        className="text-left hover:underline"
                        title="choose all of them"
                        onClick={() => setChosen(new Set(of(key).map((each) => each.recorder_id)))}
                      >
                        <b className="font-semibold text-[17px]">{of(key).length}</b>{" "}
                        <span className="font-medium font-narrow text-[13.5px]">{name}</span>
                      </button>
                      <span className={`block text-[12.5px] ${key === "out" && late ? "text-action" : "text-soft"}`}>
                        {key === "out" && late ? `${late} late` : hint}
                      </span>
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((row) => {
                  const mine = all.filter((each) => rowOf(each, by) === row);
                  const wanted = by === "kind" ? wantedOf(row) : 0;
                  const free = mine.filter((each) => each.cell === "go").length;
                  return (
                    <tr key={row} className="border-hair border-t align-top">
                      <th scope="row" className="px-2.5 py-1.5 text-left font-semibold">
                        {row}{" "}
                        <span className="font-normal text-soft">
                          {every.filter((each) => rowOf(each, by) === row).length}
                        </span>
                        {wanted > 0 && (
                          <span
                            className={`block font-normal text-[12.5px] ${wanted > free ? "text-action" : "text-soft"}`}
                          >
                            {wanted > free ? "◐ " : ""}
                            {wanted} wanted today
                          </span>
                        )}
                      </th>
                      {CELLS.map(([key]) => {
                        const here = mine.filter((each) => each.cell === key);
                        return (
                          <td key={key} className="border-hair border-l px-2 py-1.5">
                            {here.length > FOLD ? (
                              <Folded here={here} onOpen={() => setCell({ row, cell: key })} />
                            ) : (
                              grouped(here, key).map(([word, some]) => (
                                <div
                                  key={word}
                                  className={
                                    key === "hand" ? "mb-1 flex items-center gap-2" : "mr-2 mb-1 inline-block align-top"
                                  }
                                >
                                  <span className="flex flex-wrap gap-1">
                                    {some.map((each) => (
                                      <BoardToken
                                        key={each.recorder_id}
                                        of={each}
                                        chosen={chosen.has(each.recorder_id)}
                                        open={each.recorder_id === open}
                                        onPress={(many, span) => press(each, many, span, here)}
                                      />
                                    ))}
                                  </span>
                                  <span className="block min-w-0 text-[12.5px] text-soft leading-tight">
                                    {key === "hand" ? (
                                      <>
                                        <b className="font-semibold text-ink">{word}</b>
                                        <span className="block">{some[0]?.deed}</span>
                                      </>
                                    ) : (
                                      word
                                    )}
                                  </span>
                                </div>
                              ))
                            )}
                          </td>
                        );
                      })}
                    </tr>
                  );
                })}
              </tbody>
            </table>
          </div>
        )}
        {words && all.length === 0 && (
          <p className="mt-2 text-soft">
            No recorder matches.{" "}
            <Button look="quiet" size="small" onClick={() => setWords("")}>
              Show all recorders
            </Button>
          </p>
        )}
        {cell ? (
          <section aria-label={`${cell.row}, ${CELLS.find(([key]) => key === cell.cell)?.[1]}`}>
            <h2 className="mt-3 mb-1 flex items-center gap-3 text-[15px]">
              {cell.row}, {CELLS.find(([key]) => key === cell.cell)?.[1]}
              <Button look="quiet" size="small" onClick={() => setCell(null)}>
                Close
              </Button>
            </h2>
            <ul className="columns-2 gap-6 min-[1180px]:columns-3">
              {all
                .filter((each) => rowOf(each, by) === cell.row && each.cell === cell.cell)
                .map((each) => (
                  <li key={each.recorder_id} className="flex break-inside-avoid items-center gap-2 py-0.5 text-[13px]">
                    <BoardToken
                      of={each}
                      chosen={chosen.has(each.recorder_id)}
                      open={each.recorder_id === open}
                      onPress={(many, span) => press(each, many, span, all)}
                    />
                    <span className="min-w-0 truncate">{tokenWords(each)}</span>
                  </li>
                ))}
            </ul>
          </section>
        ) : (
          every.length > 0 && <OutList out={of("out")} />
        )}
      </div>
      {opened && (
        <Life
          key={opened.recorder_id}
          of={opened}
          chosen={chosen.has(opened.recorder_id)}
          onChoose={() => press(opened, true, false, all)}
          onClose={() => setOpen(null)}
        />
      )}
      {picked.length > 0 && (
        <div className="min-[1100px]:col-span-full">
          <ChosenBar what={`${picked.length} chosen`} onNone={() => setChosen(new Set())}>
            <Button
              disabled={right.isPending}
              onClick={() =>
                right.mutate(
                  picked.map((each) => each.recorder_id),
                  { onSuccess: () => setChosen(new Set()) },
                )
              }
            >
              Set right what needs no hand
            </Button>
          </ChosenBar>
        </div>
      )}
    </main>
  );
}

/** More tokens than one looks at: their number, and the words of most of them. */
function Folded({ here, onOpen }: { here: OnBoard[]; onOpen: () => void }) {
  const counts = new Map<string, number>();
  for (const each of here) {
    const word = each.late
      ? "late"
      : each.cell === "out"
        ? "in time"
        : each.cell === "go"
          ? each.place.replace(/,? bay \d+$/, "")
          : each.words;
    counts.set(word, (counts.get(word) ?? 0) + 1);
  }
  const first = [...counts].sort((a, b) => b[1] - a[1]).slice(0, 3);
  return (
    <button type="button" className="text-left hover:underline" onClick={onOpen}>
      <b className="font-semibold text-[15px]">{here.length}</b>
      <span className="block text-[12.5px] text-soft">
        {first.map(([word, n]) => `${n} ${word || "elsewhere"}`).join(", ")}
      </span>
    </button>
  );
}
