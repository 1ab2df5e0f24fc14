import { upgradePath } from '../images/versions.ts';
import type { Charter, Release } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import semver from 'semver';

/**
 * The releases that a cluster that stands passes on its way to the one of its charter, each a minor version after the one before; the last is that of the charter. Those of
 * its hosts that are furthest behind say where it begins. The release of the charter alone where nothing stands, or where there is no way.
 */
export function wayTo(charter: Charter, { hosts, releases }: Pick<Estate, 'hosts' | 'releases'>): string[] {
  const to = releases.find((r) => r.name === charter.release);
  const has = new Set(
    hosts.flatMap((h) => (h.held?.charter === charter.name && h.state === 'serving' && h.held.release ? [h.held.release] : [])),
  );
  const from = releases
    .filter((r) => has.has(r.name) && r.name !== charter.release)
    .reduce<Release | undefined>((least, r) => (least && semver.lte(least.version, r.version) ? least : r), undefined);
  const way = from && to && upgradePath(from, to, releases);
  return way?.length ? way.map((r) => r.name) : [charter.release];
}

/** The charter of a cluster as its next change makes it: with the release that comes next on its way. */
export function onItsWay<T extends Pick<Estate, 'hosts' | 'releases' | 'charters'>>(
  name: string,
  estate: T,
): { estate: T; charter: Charter | undefined; further: string[] } {
  const charter = estate.charters.find((c) => c.name === name);
  if (!charter) return { estate, charter, further: [] };
  const [next = charter.release, ...further] = wayTo(charter, estate);
  if (!further.length) return { estate, charter, further };
  const own = { ...charter, release: next };
  return { estate: { ...estate, charters: estate.charters.map((c) => (c === charter ? own : c)) }, charter: own, further };
}
