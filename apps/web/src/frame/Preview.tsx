import type { Edit } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { useSnapshot } from '../api/queries.ts';
import { FindingMarker } from '../parts/FindingMarker.tsx';
import { computer, computerWith } from '../workers/compute.ts';

/** What the checks would find of the estate with edits made, and what they would find no longer. */
export function usePreview(edits: readonly Edit[]) {
  const snapshot = useSnapshot();
  const text = JSON.stringify(edits);
  return useQuery({
    queryKey: ['preview', text, snapshot.data?.revision],
    enabled: edits.length > 0 && snapshot.data !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => {
      const c = snapshot.data ? await computerWith(snapshot.data) : computer();
      return (await c.preview(JSON.parse(text) as Edit[])) ?? null;
    },
  });
}
export type Previewed = NonNullable<ReturnType<typeof usePreview>['data']>;

export function Preview({ found }: { found: Previewed }) {
  return (
    <div className="pt-3">
      <h3 className="text-md">What the checks would then find</h3>
      {!found.added.length && !found.removed.length && <p className="text-ink-2">Nothing else than now.</p>}
      {found.added.slice(0, 8).map((f) => (
        <div key={f.id} className="flex gap-2 py-1">
          <FindingMarker severity={f.severity} number={1} />
          <span>
            <b>{f.title}</b> <span className="text-ink-2">{f.text}</span>
          </span>
        </div>
      ))}
      <NoLonger found={found} />
    </div>
  );
}
/** What would be found no longer, in a sentence. */
export const NoLonger = ({ found }: { found: Previewed }) =>
  found.removed.length > 0 && (
    <p className="text-ink-2">
      No longer:{' '}
      {found.removed
        .slice(0, 6)
        .map((f) => f.title)
        .join('; ')}
      {found.removed.length > 6 ? ` and ${found.removed.length - 6} more` : ''}.
    </p>
  );
