import { useState } from "react";
import { Button, inputLook } from "./basics";
import { Dialog } from "./dialog";

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
