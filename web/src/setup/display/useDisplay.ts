import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";

const path = (id: number) => ({ params: { path: { recorder_id: id } } });

/** What the display of a recorder can show; asked once. */
export const useDisplay = (recorder: Schemas["Recorder"]) =>
  useQuery({
    queryKey: ["display", recorder.id],
    queryFn: () => ask(api.GET("/api/recorders/{recorder_id}/display", path(recorder.id))),
    enabled: recorder.in_reach && recorder.can.includes("display"),
    staleTime: Number.POSITIVE_INFINITY,
    retry: 1,
  });

/** A page as the recorder draws it. */
export const useDrawn = (recorder: Schemas["Recorder"], fields: string[]) =>
  useQuery({
    queryKey: ["drawn", recorder.id, fields],
    queryFn: () => ask(api.POST("/api/recorders/{recorder_id}/draw", { ...path(recorder.id), body: { fields } })),
    enabled: recorder.in_reach && recorder.can.includes("display") && fields.length > 0,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (before: Schemas["Drawn"] | undefined) => before,
    retry: 1,
  });

/** The picture that it shows at switching on. */
export const useStartPicture = (recorder: Schemas["Recorder"]) =>
  useQuery({
    queryKey: ["start-picture", recorder.id],
    queryFn: () => ask(api.GET("/api/recorders/{recorder_id}/picture", path(recorder.id))),
    enabled: recorder.in_reach && recorder.can.includes("picture"),
    retry: 1,
  });
