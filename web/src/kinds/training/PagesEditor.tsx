import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Screen } from "@/setup/display/Screen";
import { useDisplay, useDrawn } from "@/setup/display/useDisplay";
import type { SetupEditorProps } from "@/setup/editor";
import { Button } from "@/ui/basics";

interface Page {
  fields: string[];
}

const moved = <T,>(list: T[], from: number, to: number): T[] => {
  if (to < 0 || to >= list.length) return list;
  const copy = [...list];
  const [one] = copy.splice(from, 1);
  if (one !== undefined) copy.splice(to, 0, one);
  return copy;
};

function Thumb({
  recorder,
  page,
  number,
  chosen,
  round,
  onChoose,
  onMove,
}: {
  recorder: Schemas["Recorder"];
  page: Page;
  number: number;
  chosen: boolean;
  round: boolean;
  onChoose: () => void;
  onMove: (by: number) => void;
}) {
  const drawn = useDrawn(recorder, page.fields);
  return (
    <button
      type="button"
      aria-pressed={chosen}
      aria-label={`page ${number}`}
      title="Alt and an arrow key move the page"
      className={`rounded-full ${chosen ? "outline-3 outline-act" : ""}`}
      onClick={onChoose}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        if (by === undefined || !e.altKey) return;
        e.preventDefault();
        onMove(by);
      }}
    >
      <Screen drawn={drawn.data} label="" times={0.5} round={round} />
    </button>
  );
}

/** The pages of the watch: which values, in which order, with each page as the watch itself draws it. */
export default function PagesEditor({ settings, fields, recorder, put }: SetupEditorProps) {
  const [at, setAt] = useState(0);
  const display = useDisplay(recorder);
  const pages = (settings.pages as Page[] | undefined) ?? [];
  const number = Math.min(at, pages.length - 1);
  const page = pages[number] ?? { fields: [] };
  const drawn = useDrawn(recorder, page.fields);
  const offers = display.data?.offers ?? [];
  /** "heart rate, bpm": what it is, and how the watch labels it. */
  const word = (key: string) => {
    const [plain, label] = [key.replaceAll("_", " "), offers.find((o) => o.key === key)?.label ?? ""];
    return !label || plain.startsWith(label.toLowerCase()) ? plain : `${plain}, ${label}`;
  };
  const { most_pages: mostPages = pages.length, most_fields: mostFields = page.fields.length } = display.data ?? {};
  const change = (list: string[]) => put(`pages.${number}.fields`, list);
  const own = fields.find((f) => f.path === `pages.${number}.fields`);
  const before = own?.differs ? ((own.value_on_recorder as string[] | null | undefined) ?? null) : null;
  const gone = fields.filter((f) => f.path === `pages.${pages.length}`);
  const free = offers.filter((o) => !page.fields.includes(o.key));
  const movePage = (from: number, by: number) => {
    put("pages", moved(pages, from, from + by));
    setAt(Math.min(Math.max(from + by, 0), pages.length - 1));
  };
  return (
    <div className="flex flex-wrap gap-x-4 gap-y-2 border-hair border-t px-4 py-3">
      <Screen
        drawn={drawn.data}
        label={`page ${number + 1} as ${recorder.token} draws it`}
        round={display.data?.round}
        times={1.5}
      />
      <div className="min-w-60 flex-1">
        <div className="flex items-baseline gap-2">
          <b className="font-medium">Page {number + 1}</b>
          <span className="text-[12.5px] text-soft">
            of {pages.length}, {page.fields.length} values
          </span>
          {pages.length > 1 && (
            <button
              type="button"
              className="ml-auto text-[13px] text-act hover:underline"
              onClick={() => {
                put(
                  "pages",
                  pages.filter((_, i) => i !== number),
                );
                setAt(Math.max(number - 1, 0));
              }}
            >
              remove page
            </button>
          )}
        </div>
        <ol aria-label={`values of page ${number + 1}`}>
          {page.fields.map((key, i) => {
            const was = before?.indexOf(key);
            const note = was === undefined || was === i ? "" : was < 0 ? "new" : `on recorder: ${was + 1}.`;
            return (
              <li key={key} className={`flex items-center gap-2 border-hair border-t py-0.5 ${note ? "bg-warn" : ""}`}>
                <span className="w-4 text-right text-soft">{i + 1}</span>
                <select
                  aria-label={`value ${i + 1}`}
                  className="min-h-7 min-w-0 flex-1 rounded border border-transparent bg-transparent hover:border-line"
                  value={key}
                  onChange={(e) => change(page.fields.map((old, j) => (j === i ? e.target.value : old)))}
                  onKeyDown={(e) => {
                    const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
                    if (e.key === "Delete" && page.fields.length > 1) change(page.fields.filter((_, j) => j !== i));
                    else if (by !== undefined && e.altKey) change(moved(page.fields, i, i + by));
                    else return;
                    e.preventDefault();
                  }}
                >
                  <option value={key}>{word(key)}</option>
                  {free.map((o) => (
                    <option key={o.key} value={o.key}>
                      {word(o.key)}
                    </option>
                  ))}
                </select>
                <span className="font-medium font-narrow text-[12.5px] text-action">{note}</span>
                <button
                  type="button"
                  className="min-h-6 min-w-6 px-1 text-act disabled:opacity-30"
                  disabled={i === 0}
                  aria-label={`${word(key)} further up`}
                  onClick={() => change(moved(page.fields, i, i - 1))}
                >
                  ↑
                </button>
                <button
                  type="button"
                  className="min-h-6 min-w-6 px-1 text-act disabled:opacity-30"
                  disabled={page.fields.length < 2}
                  aria-label={`take ${word(key)} off the page`}
                  onClick={() => change(page.fields.filter((_, j) => j !== i))}
                >
                  ×
                </button>
              </li>
            );
          })}
        </ol>
        <div className="flex items-baseline gap-3 border-hair border-t pt-1">
          {page.fields.length < mostFields && free[0] ? (
            <Button look="quiet" size="small" onClick={() => change([...page.fields, free[0]?.key ?? "time"])}>
              add a value
            </Button>
          ) : (
            <span className="text-[12.5px] text-soft">the page is full</span>
          )}
          {before && (
            <button
              type="button"
              className="ml-auto font-medium font-narrow text-[12.5px] text-action hover:underline"
              title="Take this back"
              onClick={() => change(before)}
            >
              on recorder: {before.map(word).join(", ")}
            </button>
          )}
          {own?.differs && !before && (
            <span className="ml-auto font-medium font-narrow text-[12.5px] text-action">not on the recorder</span>
          )}
        </div>
        <div className="mt-2 flex flex-wrap items-center gap-2.5">
          {pages.map((each, i) => (
            <Thumb
              // biome-ignore lint/suspicious/noArrayIndexKey: a page has no name but its place
              key={i}
              recorder={recorder}
              page={each}
              number={i + 1}
              chosen={i === number}
              round={display.data?.round ?? false}
              onChoose={() => setAt(i)}
              onMove={(by) => movePage(i, by)}
            />
          ))}
          {pages.length < mostPages && (
            <Button
              look="quiet"
              size="small"
              onClick={() => {
                put("pages", [...pages, { fields: [offers[0]?.key ?? "time"] }]);
                setAt(pages.length);
              }}
            >
              add a page
            </Button>
          )}
          {gone.map((f) => (
            <span key={f.path} className="font-medium font-narrow text-[12.5px] text-action">
              on recorder: {f.on_recorder} pages
            </span>
          ))}
        </div>
      </div>
    </div>
  );
}
