import { type InvalidateOptions, type InvalidateQueryFilters, QueryClient } from "@tanstack/react-query";

/**
 * What is told to be stale while it is fetched for the first time is fetched once more: such a fetch is not started anew by
 * invalidating it, and what it brings may be older than the change that was told.
 */
export class Queries extends QueryClient {
  override invalidateQueries(filters: InvalidateQueryFilters = {}, options: InvalidateOptions = {}): Promise<void> {
    for (const query of this.getQueryCache().findAll({ ...filters, fetchStatus: "fetching" })) {
      if (query.state.data !== undefined) continue;
      const again = () => super.invalidateQueries({ queryKey: query.queryKey, exact: true });
      query.promise?.then(again, again);
    }
    return super.invalidateQueries(filters, options);
  }
}
