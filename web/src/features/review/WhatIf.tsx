import { useEffect, useRef, useState } from "react";
import type { LimitPlace } from "@/charts/limitLine";
import { LimitEditor } from "@/limits/LimitEditor";
import type { LimitSet } from "@/limits/rules";
import type { LimitWish } from "@/limits/typedLimits";
import { useKeepLimits, useRulesKnown } from "@/limits/useKeepLimits";
import type { Assessed } from "@/sheet/assessed";
import type { Supposed } from "@/sheet/useSupposed";
import { Button, Verdict } from "@/ui/basics";

/** Other limits tried on one session: the figures below are held against them while they are typed; nothing is kept by that. */
export default function WhatIf({
  review,
  base,
  sets,
  supposed,
  locked,
  moved,
  onTried,
  onKept,
  onClose,
}: {
  review: Assessed;
  base: LimitSet;
  sets: LimitSet[];
  supposed: Supposed;
  locked: boolean;
  /** A step that was dragged in the picture. */
  moved: { limit: LimitPlace; value: number } | null;
  /** The rules as they are tried now; null when none are any more. */
  onTried: (rules: LimitWish["rules"] | null) => void;
  /** A set was kept from what was typed. */
  onKept: (id: number) => void;
  onClose: () => void;
}) {
  const known = useRulesKnown(sets, base.kind);
  const { keep, keeping, words } = useKeepLimits(base, (made) => {
    supposed.hold(null);
    onKept(made.id);
  });
  const [naming, setNaming] = useState(false);
  const [whole, setWhole] = useState(false);
  const { forget, hold } = supposed;
  useEffect(
    () => () => {
      hold(null);
      onTried(null);
    },
    [hold, onTried],
  );
  // What was decided meanwhile is in what would come out.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the version says that something was decided
  useEffect(() => forget(), [review.version, forget]);
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => heading.current?.focus(), []);
  const would = supposed.supposed;
  const now = review.reviewed;
  return (
    <section
      aria-label="What if the limits were others"
      className="mt-2.5 rounded-lg border border-act bg-panel px-3 py-2"
    >
      <div className="flex flex-wrap items-baseline gap-x-3 pb-2 text-[13px]">
        <h2 ref={heading} tabIndex={-1} className="outline-none">
          What if the limits were others?
        </h2>
        {/* One line of its own: the picture below, in which a line is being dragged, stands still whatever is said here. */}
        <p role="status" className="flex min-h-5 min-w-0 basis-full items-baseline gap-x-1.5 whitespace-nowrap">
          {supposed.wrong ? (
            <span className="min-w-0 truncate text-above" title={supposed.wrong}>
              {supposed.wrong}
            </span>
          ) : would ? (
            <>
              <span className="text-soft">{would.words === now.words ? "would stay as it is:" : "would be:"}</span>{" "}
              <span className="min-w-0 truncate" title={would.words}>
                <Verdict verdict={would.verdict} words={would.words} />
              </span>{" "}
              {would.words !== now.words && (
                <span className="min-w-0 shrink-[9] truncate text-soft" title={now.words}>
                  now: {now.words}
                </span>
              )}
            </>
          ) : supposed.asking ? (
            <span className="text-soft">being computed …</span>
          ) : (
            <span className="min-w-0 truncate text-soft">
              Type a value, or drag a line in the picture: the figures are held against it. Nothing is kept.
            </span>
          )}
        </p>
      </div>
      <div className={naming || whole ? "max-h-[300px] overflow-auto" : ""}>
        <LimitEditor
          base={base}
          known={known}
          named={naming}
          compact={!naming && !whole}
          moved={moved}
          onWish={(wish) => {
            hold(wish);
            onTried(wish.rules);
          }}
          actions={(wish) => (
            <>
              {!locked && !naming && <Button onClick={() => setNaming(true)}>Keep these limits …</Button>}
              {naming && (
                <Button look="primary" disabled={!wish || keeping} onClick={() => wish && keep(wish)}>
                  {words}
                </Button>
              )}
              {!naming && (
                <Button look="quiet" aria-pressed={whole} onClick={() => setWhole(!whole)}>
                  {whole ? "values only" : "rules …"}
                </Button>
              )}
              <Button look="quiet" onClick={onClose}>
                Close
              </Button>
            </>
          )}
        />
      </div>
    </section>
  );
}
