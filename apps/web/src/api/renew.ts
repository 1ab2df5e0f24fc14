import type { QueryClient, QueryKey } from '@tanstack/react-query';

/**
 * Reads again what is shown under a key. What was asked for the first time and is not answered yet is asked once more
 * after its answer: that answer may be from before the change, and asking while it is on its way changes nothing.
 */
export function renew(client: QueryClient, queryKey: QueryKey): void {
  const first = client
    .getQueryCache()
    .findAll({ queryKey, fetchStatus: 'fetching', predicate: (q) => q.state.data === undefined });
  for (const q of first) {
    const again = () => client.invalidateQueries({ queryKey: q.queryKey, exact: true });
    void q.promise?.then(again, again);
  }
  void client.invalidateQueries({ queryKey });
}
