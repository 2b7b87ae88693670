import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";

const KEPT = "people.figures";

function readFigures(): Record<string, string> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Record<string, string>;
  } catch {
    return {};
  }
}

/** Somebody over the years; which figure a kind is shown by stays so in this browser. */
export function useYears(person: number) {
  const [figures, setFigures] = useState(readFigures);
  const wanted = Object.entries(figures).map(([kind, figure]) => `${kind}:${figure}`);
  const found = useQuery({
    queryKey: ["years", person, wanted],
    queryFn: () =>
      ask(
        api.GET("/api/people/{person_id}/years", {
          params: { path: { person_id: person }, query: { figure: wanted } },
        }),
      ),
    placeholderData: (before, query) => (query?.queryKey[1] === person ? keepPreviousData(before) : undefined),
  });
  const choose = (kind: string, figure: string) => {
    const now = { ...figures, [kind]: figure };
    localStorage.setItem(KEPT, JSON.stringify(now));
    setFigures(now);
  };
  return { found, choose };
}

export type Years = Schemas["Years"];
