import { type RefObject, useCallback, useEffect, useImperativeHandle, useRef, useState } from "react";
import { Problem } from "@/api/client";
import { Button, inputLook, Warn } from "./basics";

/** What the panel asks of the field before signing: the version on record of just the text that is shown. */
export interface Kept {
  settle: () => Promise<number>;
}

interface Draft {
  text: string;
  version: number;
}

const PAUSE_MS = 500;
const AGAIN_MS = 3000;

function readDraft(key: string): Draft | null {
  try {
    const found = JSON.parse(localStorage.getItem(key) ?? "null") as Draft | null;
    return found && typeof found.text === "string" && typeof found.version === "number" ? found : null;
  } catch {
    return null;
  }
}

/**
 * The text is kept while it is written, and in this browser until it is: a reload, an absent server or an expired sign-in
 * lose nothing. It has a version: what somebody else has written meanwhile is shown, never overwritten unseen.
 */
export function ConclusionField({
  storeKey: key,
  record,
  blocks,
  locked,
  label = "Conclusion",
  conclude: keep,
  again: lookAgain,
  kept,
}: {
  /** Under which it stands in this browser until it is on record. */
  storeKey: string;
  record: { text: string; version: number; by: string };
  blocks: string[];
  locked: boolean;
  label?: string;
  conclude: (text: string, version: number) => Promise<{ version: number }>;
  again: () => unknown;
  kept: RefObject<Kept | null>;
}) {
  const [text, setText] = useState(() => (locked ? null : readDraft(key)?.text) ?? record.text);
  const [state, setState] = useState<"kept" | "typing" | "failed" | "conflict">(() =>
    !locked && readDraft(key) ? "typing" : "kept",
  );
  const [why, setWhy] = useState("");
  const base = useRef(locked ? record.version : (readDraft(key)?.version ?? record.version));
  const shown = useRef(text);
  shown.current = text;
  const begun = useRef(state === "typing");
  const onRecord = useRef<string | null>(state === "kept" ? record.text : null);
  const timer = useRef<number | undefined>(undefined);
  const running = useRef<Promise<number> | null>(null);
  const conclude = useRef(keep);
  conclude.current = keep;
  const again = useRef(() => {});
  again.current = () => void lookAgain();

  /** Keep what is shown; one request at a time, until what is on record is what is shown. */
  const settle = useCallback((): Promise<number> => {
    window.clearTimeout(timer.current);
    if (running.current) return running.current;
    const work = async () => {
      while (onRecord.current !== shown.current) {
        const sent = shown.current;
        base.current = (await conclude.current(sent, base.current)).version;
        onRecord.current = sent;
      }
      localStorage.removeItem(key);
      return base.current;
    };
    running.current = work()
      .then((version) => {
        setState("kept");
        return version;
      })
      .catch((error: unknown) => {
        const stale = error instanceof Problem && error.code === "stale-conclusion";
        setState(stale ? "conflict" : "failed");
        setWhy(error instanceof Error ? error.message : "");
        const refused = error instanceof Problem && error.status === 422;
        if (stale) again.current();
        if (!stale && !refused) timer.current = window.setTimeout(() => void settle().catch(() => {}), AGAIN_MS);
        throw error;
      })
      .finally(() => {
        running.current = null;
      });
    return running.current;
  }, [key]);

  useImperativeHandle(kept, () => ({ settle }), [settle]);

  // What was typed before a reload is kept now, if nobody else has written since.
  useEffect(() => {
    if (begun.current && !locked) void settle().catch(() => {});
    return () => {
      window.clearTimeout(timer.current);
      if (!locked && onRecord.current !== shown.current) void settle().catch(() => {});
    };
  }, [settle, locked]);

  // Somebody else's text shows when nothing of one's own is waiting.
  useEffect(() => {
    if (record.version <= base.current) return;
    if (record.text === shown.current) {
      // One's own text whose answer got lost.
      base.current = record.version;
      onRecord.current = record.text;
      localStorage.removeItem(key);
      setState("kept");
    } else if (onRecord.current === shown.current && !running.current) {
      base.current = record.version;
      onRecord.current = record.text;
      setText(record.text);
    }
  }, [record.version, record.text, key]);

  const change = (now: string) => {
    setText(now);
    shown.current = now;
    localStorage.setItem(key, JSON.stringify({ text: now, version: base.current } satisfies Draft));
    if (state === "conflict") return;
    setState("typing");
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => void settle().catch(() => {}), PAUSE_MS);
  };
  const takeTheirs = () => {
    base.current = record.version;
    onRecord.current = record.text;
    shown.current = record.text;
    setText(record.text);
    localStorage.removeItem(key);
    setState("kept");
  };
  const keepMine = () => {
    base.current = record.version;
    onRecord.current = null;
    void settle().catch(() => {});
  };
  const field = useRef<HTMLTextAreaElement>(null);
  /** A text block where the cursor stands, with what it needs to stand apart. */
  const insert = (block: string) => {
    const element = field.current;
    const [from, to] = [element?.selectionStart ?? text.length, element?.selectionEnd ?? text.length];
    const before = text.slice(0, from);
    const apart = before && !/\s$/.test(before) ? " " : "";
    change(`${before}${apart}${block}${text.slice(to)}`);
    const at = from + apart.length + block.length;
    requestAnimationFrame(() => {
      element?.focus();
      element?.setSelectionRange(at, at);
    });
  };
  return (
    <>
      <textarea
        ref={field}
        aria-label={label}
        className={`${inputLook} min-h-[92px] py-2 text-[13.5px]`}
        placeholder="what this means, and what is to be done"
        value={text}
        readOnly={locked}
        maxLength={20000}
        onChange={(e) => change(e.target.value)}
        onBlur={() => state === "typing" && void settle().catch(() => {})}
      />
      {!locked && blocks.length > 0 && (
        <details className="text-[13px]">
          <summary className="min-h-6 cursor-pointer text-act">text blocks</summary>
          <ul className="max-h-40 overflow-auto">
            {blocks.map((block) => (
              <li key={block}>
                <button
                  type="button"
                  className="block min-h-7 w-full border-hair border-t py-1 text-left hover:bg-act-soft"
                  onClick={() => insert(block)}
                >
                  {block}
                </button>
              </li>
            ))}
          </ul>
        </details>
      )}
      {state === "conflict" ? (
        <Warn>
          <b>{record.by || "Somebody else"} has written meanwhile:</b>
          <span className="my-1 block max-h-32 overflow-auto whitespace-pre-wrap">{record.text || "nothing"}</span>
          <span className="flex gap-2">
            <Button size="small" onClick={takeTheirs}>
              Take this
            </Button>
            <Button size="small" onClick={keepMine}>
              Keep mine
            </Button>
          </span>
        </Warn>
      ) : (
        <p className={`min-h-4 text-[12px] ${state === "failed" ? "text-action" : "text-soft"}`} role="status">
          {state === "typing" && "keeping …"}
          {state === "kept" && text && "kept"}
          {state === "failed" && `not kept yet; it is safe in this browser. ${why}`}
        </p>
      )}
    </>
  );
}
