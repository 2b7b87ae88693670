import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

/** What is done from the dock: begin and stop taking in, look at a recorder again, stop one that records (`locked`: it asks for its passcode). */
export function useTakingIn() {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ["take-in"] });
  const begin = useMutation({
    mutationFn: (sessions: Schemas["TakeInWish"][]) => ask(api.POST("/api/take-in", { body: { sessions } })),
    onSuccess,
    onError: fail,
  });
  const halt = useMutation({
    mutationFn: () => ask(api.POST("/api/take-in/stop")),
    onSuccess,
    onError: fail,
  });
  const again = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/recorders/{recorder_id}/look-again", { params: { path: { recorder_id: id } } })),
    onSettled: () => queries.invalidateQueries(),
    onError: fail,
  });
  const [locked, setLocked] = useState<number | null>(null);
  const stop = useMutation({
    mutationFn: ({ id, passcode }: { id: number; passcode: string }) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/stop", {
          params: { path: { recorder_id: id } },
          body: { passcode },
        }),
      ),
    onSettled: () => queries.invalidateQueries(),
    onError: (error, { id, passcode }) => {
      const asks = error instanceof Problem && error.status === 423;
      if (asks) setLocked(id);
      if (!asks || passcode) fail(error);
    },
  });
  return { begin, halt, again, stop, locked, setLocked };
}
