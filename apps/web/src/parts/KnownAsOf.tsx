import { useSnapshot } from '../api/queries.ts';
import { When } from './When.tsx';

/** Of when the last is that is known of a site where another installation stands; nothing for any other site. */
export function KnownAsOf({ site }: { site: string | undefined }) {
  const heard = useSnapshot().data?.estate.observed.heard[site ?? ''];
  if (!heard) return null;
  return (
    <div className="text-ochre text-sm" title={`${heard.installation} stands there; what it knows comes in its bundles`}>
      {heard.bundle ? (
        <>
          known as of <When at={heard.bundle.made} as="both" />
        </>
      ) : (
        `nothing came from ${heard.installation} yet`
      )}
    </div>
  );
}
