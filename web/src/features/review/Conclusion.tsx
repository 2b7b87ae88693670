import { useQueryClient } from "@tanstack/react-query";
import { type RefObject, useState } from "react";
import type { Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { ConclusionField, type Kept } from "@/ui/conclusion";
import type { ReviewActions } from "./useReview";

/** Of a session and a person: at a counter where several sign in, nobody's draft becomes another one's text. */
const draftKey = (id: number, login: string) => `kumpel.conclusion.${id}.${login}`;

/** The conclusion on a session. */
export function Conclusion({
  review,
  actions,
  locked,
  kept,
}: {
  review: Schemas["Review"];
  actions: ReviewActions;
  locked: boolean;
  kept: RefObject<Kept | null>;
}) {
  const queries = useQueryClient();
  // Who began to write; the sign-in may run out meanwhile.
  const [key] = useState(() =>
    draftKey(review.session.id, queries.getQueryData<Schemas["State"]>(["state"])?.me?.login ?? ""),
  );
  const blocks = useKindWords().data?.find((k) => k.key === review.session.kind)?.blocks ?? [];
  return (
    <ConclusionField
      storeKey={key}
      record={{ text: review.conclusion, version: review.conclusion_version, by: review.conclusion_by }}
      blocks={blocks}
      locked={locked}
      conclude={actions.conclude}
      again={actions.query.refetch}
      kept={kept}
    />
  );
}
