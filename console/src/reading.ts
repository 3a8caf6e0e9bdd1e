import { QueryClient, type InvalidateOptions, type InvalidateQueryFilters, type QueryKey } from '@tanstack/react-query';

/** What pages have read of the service. It is read again when the service tells of a change, not by the clock. */
export class Reading extends QueryClient {
  constructor() {
    super({ defaultOptions: { queries: { staleTime: Infinity, refetchOnWindowFocus: false, retry: 1 } } });
  }

  /** Reads again; what is being read for the first time is begun anew, too: it may be answered as it was before the change. */
  override invalidateQueries<K extends QueryKey = QueryKey>(filters?: InvalidateQueryFilters<K>, options?: InvalidateOptions): Promise<void> {
    this.getQueryCache()
      .findAll({ ...filters, type: 'active', fetchStatus: 'fetching' })
      .filter((query) => query.state.data === undefined)
      .forEach((query) => void query.cancel({ silent: true }));
    return super.invalidateQueries(filters, options);
  }
}
