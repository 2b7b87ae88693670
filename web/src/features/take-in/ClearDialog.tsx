import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { length, moment } from "@/ui/format";

/** Asked once: names what goes on the recorder, and says that the stored copies stay. */
export function ClearDialog({
  bay,
  onClose,
  onCleared,
}: {
  bay: Schemas["Bay"];
  onClose: () => void;
  onCleared: (count: number) => void;
}) {
  const sessions = bay.sessions.filter((s) => s.may_clear);
  const [passcode, setPasscode] = useState("");
  const queries = useQueryClient();
  const clear = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/recorders/{recorder_id}/clear", {
          params: { path: { recorder_id: bay.recorder.id } },
          body: { recorder_sessions: sessions.map((s) => s.recorder_session), passcode },
        }),
      ),
    onSuccess: (done) => {
      queries.invalidateQueries();
      onCleared(done.cleared.length);
      onClose();
    },
  });
  const locked = clear.error instanceof Problem && clear.error.status === 423;
  return (
    <Dialog title={`Remove ${sessions.length} on ${bay.recorder.token}?`} open onClose={onClose}>
      <p>
        These sessions go from the recorder <b>{bay.recorder.name}</b>. Their stored copies here are read again and
        compared first, and stay. This cannot be undone.
      </p>
      <ul className="my-3 max-h-56 overflow-auto rounded-md border border-line">
        {sessions.map((s) => (
          <li key={s.recorder_session} className="flex justify-between border-hair border-b px-3 py-1.5 last:border-0">
            <b className="font-semibold">{moment(s.start, bay.utc_offset_min)}</b>
            <span className="text-soft">
              {length(s.length_s)}
              {s.standing === "deleted" ? ", deleted here" : ""}
            </span>
          </li>
        ))}
      </ul>
      {clear.isError && (
        <p role="alert" className="mb-3 text-above">
          {clear.error.message}
        </p>
      )}
      {locked && (
        <input
          className={`${inputLook} mb-3`}
          aria-label="Passcode"
          placeholder="passcode of the recorder"
          value={passcode}
          onChange={(e) => setPasscode(e.target.value)}
        />
      )}
      <div className="flex gap-2">
        <Button look="danger" onClick={() => clear.mutate()} disabled={clear.isPending}>
          {clear.isPending ? "Comparing and removing …" : `Remove ${sessions.length} on the recorder`}
        </Button>
        <Button onClick={onClose}>Keep them</Button>
      </div>
    </Dialog>
  );
}
