import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { Button, Warn } from "@/ui/basics";
import { moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";

const ON_IT = {
  "all of it": "Everything is on the recorder: it can be finished as it was begun.",
  "nothing of it": "Nothing of it reached the recorder; it is as it was before.",
  "not known": "What of it reached the recorder is not known until it answers.",
};

/** A hand-over that was cut off in the middle: what is on the recorder, and what can be done. */
export function Interrupted({
  unfinished,
  token,
  busy,
  onFinish,
}: {
  unfinished: Schemas["Unfinished"];
  token: string;
  busy: boolean;
  onFinish: (id: string) => void;
}) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const forget = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/hand-overs/{hand_over_id}/forget", { params: { path: { hand_over_id: unfinished.id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["draft"] }),
    onError: fail,
  });
  return (
    <div className="px-4 pb-3">
      <Warn>
        Handing {token} to {unfinished.person} was cut off ({moment(unfinished.begun_at)}). {ON_IT[unfinished.on_it]}
        <span className="mt-1.5 flex gap-2">
          {unfinished.on_it === "all of it" && (
            <Button size="small" disabled={busy} onClick={() => onFinish(unfinished.id)}>
              Finish: {unfinished.person} has it
            </Button>
          )}
          <Button size="small" look="quiet" disabled={forget.isPending} onClick={() => forget.mutate()}>
            Forget it
          </Button>
        </span>
      </Warn>
    </div>
  );
}
