import { useEffect, useRef, useState } from "react";
import { Button, inputLook } from "./basics";
import { Dialog } from "./dialog";

/** Why a recording of one record or none is kept aside. */
export const SWITCHED_ON = "one record or none, only switched on";

/** Asks why, in one line; some reasons can be had by a click. */
export function ReasonDialog({
  title,
  text,
  hint,
  action,
  note,
  reasons = [],
  onClose,
  onReason,
}: {
  title: string;
  text?: string;
  hint: string;
  action: string;
  note?: string;
  reasons?: string[];
  onClose: () => void;
  onReason: (reason: string) => void;
}) {
  const [reason, setReason] = useState("");
  return (
    <Dialog title={title} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (reason.trim()) onReason(reason.trim());
        }}
      >
        {text && <p>{text}</p>}
        <input
          className={inputLook}
          aria-label="Reason"
          placeholder={hint}
          value={reason}
          maxLength={400}
          onChange={(e) => setReason(e.target.value)}
          required
        />
        {reasons.length > 0 && (
          <div className="flex flex-wrap gap-1.5">
            {reasons.map((each) => (
              <button
                key={each}
                type="button"
                className="rounded bg-hair px-2 py-1 text-[13px] hover:bg-act-soft"
                onClick={() => onReason(each)}
              >
                {each}
              </button>
            ))}
          </div>
        )}
        {note && <p className="text-[13px] text-soft">{note}</p>}
        <div>
          <Button look="primary" type="submit" disabled={!reason.trim()}>
            {action}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** Asks why in place, in one row: a reason by a click or its number, or one that is typed; Escape leaves things as they are. */
export function ReasonChips({
  label,
  reasons,
  onClose,
  onReason,
}: {
  label: string;
  reasons: string[];
  onClose: () => void;
  onReason: (reason: string) => void;
}) {
  const [typed, setTyped] = useState("");
  const box = useRef<HTMLFormElement>(null);
  const cameFrom = useRef(document.activeElement);
  useEffect(() => {
    // A finger that meant a row wants no keyboard over it.
    const first = window.matchMedia("(pointer: coarse)").matches ? "button" : "input";
    box.current?.querySelector<HTMLElement>(first)?.focus({ preventScroll: true });
  }, []);
  // These chips go: the keys are meant for the row again that they stood under.
  const back = () => cameFrom.current instanceof HTMLElement && cameFrom.current.focus({ preventScroll: true });
  const close = () => {
    onClose();
    back();
  };
  const choose = (reason: string) => {
    onReason(reason);
    back();
  };
  return (
    <form
      ref={box}
      aria-label={label}
      className="flex items-center gap-1.5 overflow-x-auto pb-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        if (typed.trim()) choose(typed.trim());
      }}
      onKeyDown={(e) => {
        // The keys that walk through the list behind are letters here.
        e.stopPropagation();
        const numbered = typed === "" ? reasons[Number(e.key) - 1] : undefined;
        if (e.key === "Escape") close();
        else if (numbered) {
          e.preventDefault();
          choose(numbered);
        }
      }}
    >
      {reasons.map((each, i) => (
        <button
          key={each}
          type="button"
          className="min-h-7 whitespace-nowrap rounded-full border border-line bg-panel px-2.5 text-[12.5px] hover:bg-act-soft"
          onClick={() => choose(each)}
        >
          {i < 9 && <span className="mr-1 text-soft pointer-coarse:hidden">{i + 1}</span>}
          {each}
        </button>
      ))}
      <input
        aria-label="Reason"
        placeholder="or in your words, Enter"
        className="min-h-7 min-w-28 flex-1 rounded border border-line bg-panel px-1.5 text-[12.5px]"
        value={typed}
        maxLength={400}
        onChange={(e) => setTyped(e.target.value)}
      />
      <button type="button" className="min-h-7 px-1.5 text-[12.5px] text-act hover:underline" onClick={close}>
        Cancel
      </button>
    </form>
  );
}
