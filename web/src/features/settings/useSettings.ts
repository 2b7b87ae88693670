import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { api, ask, type Schemas } from "@/api/client";
import { useNotices } from "@/ui/notices";

export type Settings = Schemas["Settings"];
export type SettingWord = Schemas["SettingWord"];
export type Scope = SettingWord["scopes"][number];
export type SettingValue = Schemas["SettingWish"]["value"];

export const useSettings = () =>
  useQuery({
    queryKey: ["settings"],
    queryFn: () => ask(api.GET("/api/settings")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** What somebody set for a scope, if it still holds. */
export function keptOf(settings: Settings, key: string, scope: Scope, of: string) {
  return settings.kept.find((k) => k.key === key && k.scope === scope && k.of === of);
}

/** A number that may be set for a kind, else for the site; as shipped while it is not known yet. */
export function useNumbers(key: string): (kind: string) => number {
  const settings = useSettings().data;
  return useCallback(
    (kind: string) => {
      if (!settings) return Number.POSITIVE_INFINITY;
      const kept = keptOf(settings, key, "kind", kind)?.value ?? keptOf(settings, key, "site", "")?.value;
      const word = settings.words.find((w) => w.key === key);
      return Number(kept ?? word?.default);
    },
    [settings, key],
  );
}

export const useNumber = (key: string, kind: string): number => useNumbers(key)(kind);

/** Sets something, or (null) lets it be as shipped. */
export function useKeepSetting() {
  const queries = useQueryClient();
  const { fail } = useNotices();
  return useMutation({
    mutationFn: (wish: Schemas["SettingWish"]) => ask(api.PUT("/api/settings", { body: wish })),
    onSuccess: (found) => {
      queries.setQueryData(["settings"], found);
      for (const key of ["kinds", "limit-sets", "recorders"]) queries.invalidateQueries({ queryKey: [key] });
    },
    onError: (error) => {
      fail(error);
      queries.invalidateQueries({ queryKey: ["settings"] });
    },
  });
}
