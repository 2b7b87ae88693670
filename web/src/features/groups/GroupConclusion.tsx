import { useEffect, useRef, useState } from "react";
import { Problem } from "@/api/client";
import { Button, Warn } from "@/ui/basics";
import { day } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { ReasonDialog } from "@/ui/reason";
import type { Group, useGroup } from "./useGroup";

const PAUSE_MS = 700;
const draftKey = (id: number) => `kumpel.group.${id}`;

/** The conclusion on a group: kept while it is written, signed as it is seen, opened again with a reason. */
export function GroupConclusion({ group, actions }: { group: Group; actions: ReturnType<typeof useGroup> }) {
  const { fail } = useNotices();
  const signed = group.signed;
  const [text, setText] = useState(() =>
    signed ? signed.conclusion : (localStorage.getItem(draftKey(group.id)) ?? group.conclusion),
  );
  const [state, setState] = useState<"kept" | "typing" | "conflict" | "failed">(
    text === group.conclusion ? "kept" : "typing",
  );
  const [signing, setSigning] = useState(false);
  const [opening, setOpening] = useState(false);
  const base = useRef(group.conclusion_version);
  const onRecord = useRef(group.conclusion);
  const timer = useRef<number | undefined>(undefined);

  const settle = async (shown: string) => {
    window.clearTimeout(timer.current);
    if (shown !== onRecord.current) {
      try {
        base.current = await actions.conclude(shown, base.current);
        onRecord.current = shown;
      } catch (error) {
        setState(error instanceof Problem && error.code === "stale-conclusion" ? "conflict" : "failed");
        throw error;
      }
    }
    localStorage.removeItem(draftKey(group.id));
    setState("kept");
    return base.current;
  };
  const latest = useRef(settle);
  latest.current = settle;

  // What somebody else wrote shows when nothing of one's own waits.
  useEffect(() => {
    if (group.conclusion_version <= base.current || state !== "kept") return;
    base.current = group.conclusion_version;
    onRecord.current = group.conclusion;
    setText(group.conclusion);
  }, [group.conclusion, group.conclusion_version, state]);

  const typed = (now: string) => {
    setText(now);
    setState("typing");
    localStorage.setItem(draftKey(group.id), now);
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => void latest.current(now).catch(() => {}), PAUSE_MS);
  };

  return (
    <section aria-label="Conclusion" className="mt-4">
      <h2 className="mb-1 flex items-baseline gap-2">
        Conclusion
        {!signed && (
          <span role="status" className="font-normal text-[12.5px] text-soft">
            {{ kept: text ? "kept" : "", typing: "…", failed: "not kept yet", conflict: "" }[state]}
          </span>
        )}
      </h2>
      {signed ? (
        <>
          <p className="whitespace-pre-wrap">{signed.conclusion || "Nothing was written."}</p>
          <p className="mt-1 text-[13px] text-soft">
            Signed off by {signed.by}, {day(signed.at)}.
          </p>
        </>
      ) : (
        <textarea
          aria-label="Conclusion on the group"
          className="block min-h-24 w-full resize-y rounded-md border border-line bg-panel p-2"
          value={text}
          onChange={(event) => typed(event.target.value)}
          onBlur={() => void settle(text).catch(() => {})}
        />
      )}
      {state === "conflict" && (
        <Warn>
          Somebody else has written “{group.conclusion.slice(0, 120)}” meanwhile. Yours stands in the field.{" "}
          <Button
            size="small"
            onClick={() => {
              base.current = group.conclusion_version;
              onRecord.current = group.conclusion;
              void settle(text).catch(fail);
            }}
          >
            Keep mine
          </Button>
        </Warn>
      )}
      <div className="mt-2 flex flex-wrap gap-2">
        {signed ? (
          <Button onClick={() => setOpening(true)}>Open again</Button>
        ) : (
          <Button
            main
            look="primary"
            disabled={signing || state === "conflict"}
            onClick={async () => {
              setSigning(true);
              try {
                const version = await settle(text);
                await actions.sign(group.version, version);
              } catch (error) {
                fail(new Error(`Not signed. ${error instanceof Error ? error.message : ""}`));
              } finally {
                setSigning(false);
              }
            }}
          >
            {signing ? "Signing …" : "Sign off"}
          </Button>
        )}
      </div>
      {opening && (
        <ReasonDialog
          title="Open the conclusion again"
          text="What was signed stays on record."
          hint="a shift came in later"
          action="Open again"
          onClose={() => setOpening(false)}
          onReason={(why) => {
            setOpening(false);
            void actions.openAgain(why);
          }}
        />
      )}
    </section>
  );
}
