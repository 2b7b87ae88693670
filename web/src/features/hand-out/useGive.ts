import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

type Body = Omit<Schemas["NewHandOver"], "recorder_id" | "person_id" | "passcode" | "despite">;
type Deed = "give" | "write" | "finish";

/** Writing a recorder, with or without handing it out; asks for the passcode, and why a recorder goes out that is not empty. */
export function useGive(
  recorder: Schemas["Recorder"],
  person: Schemas["Person"],
  body: () => Body,
  onDone: () => void,
) {
  const passcode = useRef("");
  const despite = useRef("");
  const unfinished = useRef("");
  const [asking, setAsking] = useState<Deed | null>(null);
  const [holding, setHolding] = useState<string | null>(null);
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const failed = (error: Error, doing: Deed) => {
    if (error instanceof Problem && error.status === 423) {
      if (passcode.current) fail(error);
      setAsking(doing);
    } else if (error instanceof Problem && error.code === "not-taken-in") {
      setHolding(error.message);
    } else {
      fail(error);
      queries.invalidateQueries({ queryKey: ["draft"] });
      queries.invalidateQueries({ queryKey: ["recorders"] });
    }
  };
  const given = (slip: Schemas["HandOver"], words: string) => {
    onDone();
    queries.invalidateQueries();
    say(`${recorder.token} is with ${slip.person}. ${words}`, () => {
      ask(api.POST("/api/hand-overs/{hand_over_id}/return", { params: { path: { hand_over_id: slip.id } } })).then(
        () => queries.invalidateQueries(),
        fail,
      );
    });
  };
  const give = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/hand-overs", {
          body: {
            ...body(),
            recorder_id: recorder.id,
            person_id: person.id,
            passcode: passcode.current,
            despite: despite.current,
          },
        }),
      ),
    onSuccess: (slip) => given(slip, "Settings were written and read back."),
    onError: (error) => failed(error, "give"),
  });
  const write = useMutation({
    mutationFn: () => {
      const { settings, revision, set_clock, picture, courses } = body();
      return ask(
        api.POST("/api/recorders/{recorder_id}/write", {
          params: { path: { recorder_id: recorder.id } },
          body: { settings, revision, set_clock, picture, courses, passcode: passcode.current },
        }),
      );
    },
    onSuccess: () => {
      queries.invalidateQueries();
      say(`The settings are on ${recorder.token}, read back and equal.`);
    },
    onError: (error) => failed(error, "write"),
  });
  const finish = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/hand-overs/{hand_over_id}/finish", {
          params: { path: { hand_over_id: unfinished.current } },
          body: { passcode: passcode.current },
        }),
      ),
    onSuccess: (slip) => given(slip, "What was on it was read back and is as it was begun."),
    onError: (error) => failed(error, "finish"),
  });
  const deeds = { give, write, finish };
  return {
    give,
    write,
    finish: (id: string) => {
      unfinished.current = id;
      finish.mutate();
    },
    busy: give.isPending || write.isPending || finish.isPending,
    asking: asking !== null,
    stopAsking: () => setAsking(null),
    withPasscode: (entered: string) => {
      passcode.current = entered;
      const deed = asking;
      setAsking(null);
      if (deed) deeds[deed].mutate();
    },
    holding,
    stopHolding: () => setHolding(null),
    allTheSame: (reason: string) => {
      setHolding(null);
      despite.current = reason;
      give.mutate();
    },
  };
}
