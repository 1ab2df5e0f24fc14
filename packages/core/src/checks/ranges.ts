import { overlappingPairs } from '../address/overlap.ts';
import { overlaps, parsePrefix, prefixRange, type Range } from '../address/parse.ts';
import { familiesOf } from '../charter/families.ts';
import type { Network } from '../model/documents.ts';
import type { View } from '../reading/index.ts';

/** What shares addresses with what: by name, both ways. */
type Sharing = ReadonlyMap<string, readonly string[]>;

function sharing(list: readonly (readonly [name: string, prefix: string])[]): Sharing {
  const out = new Map<string, string[]>();
  for (const [a, b] of overlappingPairs(list.map(([name, prefix]) => ({ ...prefixRange(parsePrefix(prefix)), name }))))
    for (const [x, y] of [
      [a.name, b.name],
      [b.name, a.name],
    ] as const)
      out.set(x, [...(out.get(x) ?? []), y].sort());
  return out;
}

const prefixes = (view: View) =>
  view.memo('prefixes of networks', () => view.all('Network').map((n) => [n.name, n.prefix] as const));
const podRanges = (view: View) =>
  view.memo('pod ranges', () => view.all('Charter').flatMap((c) => familiesOf(c).map((f) => [c.name, f.pods] as const)));

/** For each network the others that share addresses with it. */
export const networksSharing = (view: View): Sharing => view.memo('networks that share addresses', () => sharing(prefixes(view)));
/** For each charter the others whose pods share addresses with its pods. */
export const podsSharing = (view: View): Sharing => view.memo('pod ranges that share addresses', () => sharing(podRanges(view)));

/** Names of the networks that share addresses with a range. */
export function networksIn(view: View, range: Range): string[] {
  const parsed = view.memo('ranges of networks', () =>
    prefixes(view).map(([name, prefix]) => ({ name, range: prefixRange(parsePrefix(prefix)) })),
  );
  return parsed.filter((n) => overlaps(n.range, range)).map((n) => n.name);
}

/** Whether two networks never meet: they stand at different sites, of which one is sealed. */
export const keptApart = (a: Network, b: Network, view: View): boolean =>
  a.site !== b.site && [a, b].some((n) => view.get('Site', n.site)?.reach === 'sealed');
