import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

export type Fit = Schemas["FirmwareFit"];
export type Image = Schemas["FirmwareImage"];
export type Update = Schemas["FirmwareUpdate"];

const FIRMWARE = ["firmware"];

/** What goes on by itself on a recorder: nothing has to be asked or pressed. */
export const isMoving = (update: Update | null | undefined) =>
  update?.ended_at === null && (update.state !== "waits" || update.trouble === "");

const isNews = (fit: Fit) => fit.image_id !== null && (fit.update?.ended_at !== null || !fit.update);
/** Recorders that can be brought to a newer one now. */
export const canGo = (fit: Fit) => isNews(fit) && fit.against === "";
/** Recorders for which there is a newer one, and something stands against it. */
export const isHeldUp = (fit: Fit) => isNews(fit) && fit.against !== "";
export const isOpen = (fit: Fit) => fit.update != null && fit.update.ended_at === null;
export const hasEnded = (fit: Fit) => fit.update?.ended_at != null;

export const useFirmware = () => useQuery({ queryKey: FIRMWARE, queryFn: () => ask(api.GET("/api/firmware")) });

async function send(file: File): Promise<Image> {
  const answer = await fetch("/api/firmware/images", {
    method: "POST",
    body: file,
    headers: { "content-type": "application/octet-stream" },
  }).catch(() => {
    throw new Problem(0, "offline", "The server does not answer. Nothing was added; try again when it is back.");
  });
  const body = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Problem(answer.status, body.code ?? "problem", body.detail ?? "The file was not added.");
  return body as Image;
}

export function useFirmwareDeeds() {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const again = () => void queries.invalidateQueries({ queryKey: FIRMWARE });
  const begin = useMutation({
    mutationFn: (wish: Schemas["FirmwareWish"]) => ask(api.POST("/api/firmware/updates", { body: wish })),
    onSuccess: ({ refused }) => {
      again();
      if (refused.length) say(refused.map((each) => each.why).join(" "));
    },
    onError: fail,
  });
  const stop = useMutation({
    mutationFn: (update: number) =>
      ask(api.POST("/api/firmware/updates/{update_id}/stop", { params: { path: { update_id: update } } })),
    onSuccess: again,
    onError: fail,
  });
  const unlock = useMutation({
    mutationFn: ({ update, passcode }: { update: number; passcode: string }) =>
      ask(
        api.POST("/api/firmware/updates/{update_id}/unlock", {
          params: { path: { update_id: update } },
          body: { passcode },
        }),
      ),
    onSuccess: again,
    onError: fail,
  });
  const add = useMutation({
    mutationFn: send,
    onSuccess: (image) => {
      say(`${image.version} for ${image.models.join(", ")} is in the catalogue.`);
      again();
    },
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: (image: Image) =>
      ask(api.DELETE("/api/firmware/images/{image_id}", { params: { path: { image_id: image.id } } })),
    onSuccess: again,
    onError: fail,
  });
  const trust = useMutation({
    mutationFn: (wish: Schemas["NewFirmwareKey"]) => ask(api.POST("/api/firmware/keys", { body: wish })),
    onSuccess: again,
    onError: fail,
  });
  const distrust = useMutation({
    mutationFn: (key: number) => ask(api.DELETE("/api/firmware/keys/{key_id}", { params: { path: { key_id: key } } })),
    onSuccess: again,
    onError: fail,
  });
  return { begin, stop, unlock, add, remove, trust, distrust };
}
