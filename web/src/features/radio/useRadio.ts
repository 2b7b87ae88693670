import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

export type HeardNetwork = Schemas["HeardNetwork"];
export type Visit = Schemas["RadioVisit"];

const RADIO = ["radio"];

/** Asked for again by itself: what is in the air comes and goes. */
export const useRadio = () =>
  useQuery({ queryKey: RADIO, queryFn: () => ask(api.GET("/api/radio")), refetchInterval: 15_000 });

export function useRadioDeeds() {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const again = () => void queries.invalidateQueries({ queryKey: RADIO });
  const visit = useMutation({
    mutationFn: (body: Schemas["VisitWish"]) => ask(api.POST("/api/radio/visits", { body })),
    onSuccess: again,
    onError: fail,
  });
  const stay = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/radio/visits/{visit_id}/stay", { params: { path: { visit_id: id } } })),
    onSuccess: again,
    onError: fail,
  });
  const end = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/radio/visits/{visit_id}/end", { params: { path: { visit_id: id } } })),
    onSuccess: again,
    onError: fail,
  });
  const give = useMutation({
    mutationFn: (body: Schemas["HouseNetwork"]) => ask(api.POST("/api/radio/house", { body })),
    onSuccess: again,
    onError: fail,
  });
  return { visit, stay, end, give };
}
