import { useState } from "react";
import { Button, inputLook } from "./basics";
import { Dialog } from "./dialog";

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
