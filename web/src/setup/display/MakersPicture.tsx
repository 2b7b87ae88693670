import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { Button } from "@/ui/basics";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";

/** The picture that the recorder came with, shown at switching on again: at once, beside the slip. */
export function MakersPicture({ recorder, onBack }: { recorder: Schemas["Recorder"]; onBack: () => void }) {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const [asking, setAsking] = useState(false);
  const back = useMutation({
    mutationFn: (passcode: string) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/picture/maker", {
          params: { path: { recorder_id: recorder.id } },
          body: { passcode },
        }),
      ),
    onSuccess: (drawn) => {
      queries.setQueryData(["start-picture", recorder.id], drawn);
      onBack();
      say(`${recorder.token} shows its maker’s picture again, read back.`);
    },
    onError: (error, passcode) => {
      if (!(error instanceof Problem && error.status === 423)) return fail(error);
      if (passcode) fail(error);
      setAsking(true);
    },
  });
  return (
    <>
      <Button size="small" look="quiet" disabled={back.isPending} onClick={() => back.mutate("")}>
        {back.isPending ? "Writing …" : "maker’s picture back"}
      </Button>
      {asking && (
        <PasscodeDialog
          token={recorder.token}
          onClose={() => setAsking(false)}
          onGiven={(passcode) => {
            setAsking(false);
            back.mutate(passcode);
          }}
        />
      )}
    </>
  );
}
