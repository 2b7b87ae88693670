import { useMutation } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { Problem } from "@/api/client";
import { Button, inputLook } from "./basics";
import { Dialog } from "./dialog";
import { useNotices } from "./notices";

/** Asks for a recorder's passcode; reading never needs one, changing may. */
export function PasscodeDialog({
  token,
  onGiven,
  onClose,
}: {
  token: string;
  onGiven: (passcode: string) => void;
  onClose: () => void;
}) {
  const [passcode, setPasscode] = useState("");
  return (
    <Dialog title={`Passcode of ${token}`} open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          onGiven(passcode);
        }}
      >
        <p className="text-soft">Reading needs none; changing this recorder does. It stands on the card in its case.</p>
        <input
          className={inputLook}
          aria-label="Passcode"
          autoComplete="off"
          value={passcode}
          onChange={(e) => setPasscode(e.target.value)}
        />
        <div>
          <Button look="primary" type="submit" disabled={!passcode}>
            Go on
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/**
 * Something that a recorder may ask its passcode for: tried without, then with the one that is given. `dialog` belongs into the screen.
 */
export function usePasscoded<W, A>({
  work,
  token,
  onDone,
}: {
  work: (wish: W, passcode: string) => Promise<A>;
  /** The recorder that asks. */
  token: (wish: W) => string;
  onDone: (answer: A, wish: W) => void;
}) {
  const { fail } = useNotices();
  const [asking, setAsking] = useState<{ wish: W } | null>(null);
  const deed = useMutation({
    mutationFn: ({ wish, passcode }: { wish: W; passcode: string }) => work(wish, passcode),
    onSuccess: (answer, { wish }) => onDone(answer, wish),
    onError: (error, { wish, passcode }) => {
      if (!(error instanceof Problem && error.status === 423)) return fail(error);
      if (passcode) fail(error);
      setAsking({ wish });
    },
  });
  const dialog = asking && (
    <PasscodeDialog
      token={token(asking.wish)}
      onClose={() => setAsking(null)}
      onGiven={(passcode) => {
        setAsking(null);
        deed.mutate({ wish: asking.wish, passcode });
      }}
    />
  );
  const { mutate } = deed;
  const run = useCallback((wish: W) => mutate({ wish, passcode: "" }), [mutate]);
  return { run, isPending: deed.isPending, dialog };
}
