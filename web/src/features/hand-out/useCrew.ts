import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import type { Settings } from "@/setup/settings";

export type Step =
  | { is: "waiting" }
  | { is: "writing" }
  | { is: "done"; words: string }
  | { is: "refused"; why: string; code: string };

export interface Pair {
  recorder: Schemas["Recorder"];
  person: Schemas["Person"];
}

/** What goes onto each of them. */
export interface Common {
  settings: Settings;
  setClock: boolean;
  tags: Record<string, string>;
  /** Shown at switching on; null leaves what is on each. */
  picture: Schemas["Drawn"] | null;
  /** The courses that are to be on each; null leaves them. */
  courses: string[] | null;
}

/**
 * The same settings onto several recorders, each with its own person: one after the other, so that each is read back before the next
 * begins; one that fails stops none of the others.
 */
export function useCrew({ settings, setClock, tags, picture, courses }: Common) {
  const [steps, setSteps] = useState<Record<number, Step>>({});
  const [running, setRunning] = useState(false);
  const passcode = useRef("");
  const queries = useQueryClient();
  const stand = (id: number, step: Step) => setSteps((all) => ({ ...all, [id]: step }));

  const one = async ({ recorder, person }: Pair, despite: string) => {
    stand(recorder.id, { is: "writing" });
    try {
      const fitted = await ask(
        api.POST("/api/recorders/{recorder_id}/draft", {
          params: { path: { recorder_id: recorder.id } },
          body: { person_id: person.id, library: "", settings, fit: true, recorder: false },
        }),
      );
      await ask(
        api.POST("/api/hand-overs", {
          body: {
            recorder_id: recorder.id,
            person_id: person.id,
            settings: fitted.settings,
            revision: fitted.revision,
            set_clock: setClock,
            tags,
            passcode: passcode.current,
            despite,
            personal: [],
            picture,
            courses,
          },
        }),
      );
      stand(recorder.id, { is: "done", words: `with ${person.name}, read back equal` });
    } catch (error) {
      const code = error instanceof Problem ? (error.status === 423 ? "passcode" : error.code) : "";
      stand(recorder.id, { is: "refused", why: error instanceof Error ? error.message : String(error), code });
    }
  };
  return {
    steps,
    running,
    run: async (pairs: Pair[], given = "", despite = "") => {
      passcode.current = given || passcode.current;
      setRunning(true);
      for (const pair of pairs) stand(pair.recorder.id, { is: "waiting" });
      for (const pair of pairs) await one(pair, despite);
      setRunning(false);
      queries.invalidateQueries();
    },
  };
}
