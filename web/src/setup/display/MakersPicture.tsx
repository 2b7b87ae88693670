import { useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { Button } from "@/ui/basics";
import { useNotices } from "@/ui/notices";
import { usePasscoded } from "@/ui/passcode";

type Recorder = Schemas["Recorder"];

/** The picture that the recorder came with, shown at switching on again: at once, beside the slip. */
export function MakersPicture({ recorder, onBack }: { recorder: Recorder; onBack: () => void }) {
  const queries = useQueryClient();
  const { say } = useNotices();
  const back = usePasscoded({
    work: (of: Recorder, passcode) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/picture/maker", {
          params: { path: { recorder_id: of.id } },
          body: { passcode },
        }),
      ),
    token: (of) => of.token,
    onDone: (drawn, of) => {
      queries.setQueryData(["start-picture", of.id], drawn);
      onBack();
      say(`${of.token} shows its maker’s picture again, read back.`);
    },
  });
  return (
    <>
      <Button size="small" look="quiet" disabled={back.isPending} onClick={() => back.run(recorder)}>
        {back.isPending ? "Writing …" : "maker’s picture back"}
      </Button>
      {back.dialog}
    </>
  );
}
