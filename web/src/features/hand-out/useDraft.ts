import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { type Settings, type SetupField, valueAt } from "@/setup/settings";
import { useRested } from "@/ui/rested";
import type { TypedSlip } from "./typedSlip";

/** What a slip starts from: a shipped or a kept setup, the recorder as it is, else what the person had last. */
export interface StartsFrom {
  library?: string;
  kept?: number;
  recorder?: boolean;
}

const SETTLES_MS = 60;

/** A field with what is on the screen now; whether that differs from the recorder does not wait for the server. */
function asTyped(field: SetupField, value: unknown): SetupField {
  if (same(value, field.value)) return { ...field, value };
  return { ...field, value, differs: !same(value, field.value_on_recorder) };
}

const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

/**
 * The settings of a slip: what was changed here over what the server gave to start from, compared with the recorder at every change.
 * A wrong entry is refused by the server: the slip goes back to what was right before, and says why.
 */
export function useDraft(recorder: Schemas["Recorder"], person: Schemas["Person"], before: TypedSlip | null) {
  const [edited, setEdited] = useState<Settings | undefined>(before?.edited);
  const [from, setFrom] = useState<StartsFrom>(before?.from ?? {});
  const [refused, setRefused] = useState<string | null>(null);
  const asked = useRested(edited, SETTLES_MS);
  const draft = useQuery({
    queryKey: ["draft", recorder.id, person.id, from, asked],
    queryFn: () =>
      ask(
        api.POST("/api/recorders/{recorder_id}/draft", {
          params: { path: { recorder_id: recorder.id } },
          body: { person_id: person.id, library: "", fit: false, recorder: false, ...from, settings: asked },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 0,
  });
  const good = useRef<{ data: typeof draft.data; edited: Settings | undefined }>({
    data: undefined,
    edited: undefined,
  });
  const begun = useRef<{ settings: Settings; basedOn: string } | undefined>(before?.begun);
  if (draft.data && !draft.isPlaceholderData) {
    good.current = { data: draft.data, edited: asked };
    if (asked === undefined) begun.current = { settings: draft.data.settings, basedOn: draft.data.based_on };
  }
  // A refusal of what was changed again meanwhile says nothing of what is on the screen now.
  const refusal = draft.isError && good.current.data && asked === edited ? draft.error.message : null;
  useEffect(() => {
    if (refusal === null) return;
    setRefused(`${refusal} The value was not taken.`);
    setEdited(good.current.edited);
  }, [refusal]);
  const data = draft.data ?? good.current.data;
  const settings = edited ?? data?.settings ?? {};
  const fields = (data?.fields ?? []).map((f) => asTyped(f, valueAt(settings, f.path)));
  return {
    data,
    edited,
    begun: begun.current,
    /** Whether the server has looked at what is on the screen: lists that grew are compared by it alone. */
    compared: asked === edited && !draft.isPlaceholderData,
    error: data ? null : draft.error,
    again: draft.refetch,
    settings,
    fields,
    refused,
    setRefused,
    from,
    basedOn: begun.current?.basedOn ?? "",
    start: (next: StartsFrom) => {
      setEdited(undefined);
      setRefused(null);
      setFrom(next);
    },
    change: (next: Settings | undefined) => {
      setRefused(null);
      setEdited(next);
    },
    /** The facts about the person that were changed here; they go back to the person. */
    personal: fields
      .filter((f) => f.form.personal && begun.current && f.value !== valueAt(begun.current.settings, f.path))
      .map((f) => f.path),
  };
}
