import { type QueryClient, queryOptions } from "@tanstack/react-query";
import { api, ask } from "@/api/client";
import { kindWords, loadSheet } from "@/kinds/kinds";

/** The review of a session; with a limit set, as it would be against that. */
export const reviewOf = (id: number, limitSetId: number | null) =>
  queryOptions({
    queryKey: ["review", id, limitSetId],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/review", {
          params: { path: { session_id: id }, query: limitSetId === null ? {} : { limit_set_id: limitSetId } },
        }),
      ),
  });

/** What the review in the address shows first is asked for while its screen is still being fetched, and then the sheet of its kind. */
export function reviewAhead(queries: QueryClient) {
  const id = Number(window.location.pathname.split("/")[2]);
  if (!id) return;
  void queries.prefetchQuery(kindWords);
  void queries.fetchQuery(reviewOf(id, null)).then(
    (review) => loadSheet(review.session.kind),
    () => {}, // The screen asks again, and says what is wrong.
  );
}
