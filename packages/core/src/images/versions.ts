import semver from 'semver';
import type { Addon, Release } from '../model/documents.ts';
import { readManifests } from '../model/manifests.ts';

/** Two components of a release that are too far from each other. `by`: minor versions, negative where it lags behind. */
export interface SkewFault {
  component: string;
  version: string;
  against: string;
  is: string;
  by: number;
  /** What is allowed: so many behind, so many ahead. */
  behind: number;
  ahead: number;
}

/** The minor version of `1.34.2`, `v1.34` or `1.34.2-rc.1`, counted within its major; undefined where there is none. */
const parsed = (v: string | undefined) => (v ? (semver.parse(v) ?? semver.coerce(v)) : null);

/**
 * Components that lag behind or run ahead of another further than the release says they may. A component without a
 * version has the release's. Across major versions every distance is too far; a component that is not there, or whose
 * version cannot be read, is not judged.
 * @example kubelet 1.31.0 against an API server of 1.34.2, at most 2 behind: by -3
 */
export function skewFaults(release: Release): SkewFault[] {
  const versionOf = (name: string) => {
    const c = release.components.find((x) => x.name === name);
    return c && (c.version ?? release.version);
  };
  return (release.skew ?? []).flatMap((rule) => {
    const version = versionOf(rule.component);
    const is = versionOf(rule.against);
    const a = parsed(version);
    const b = parsed(is);
    if (!version || !is || !a || !b) return [];
    const by = a.major === b.major ? a.minor - b.minor : (a.major - b.major) * 1000;
    const { component, against, behind, ahead } = rule;
    return by < -behind || by > ahead ? [{ component, version, against, is, by, behind, ahead }] : [];
  });
}

/** Whether an add-on runs with a release; one that names no range does with every one. Pre-releases count as their release. */
export const runsWith = (addon: Addon, release: Release): boolean =>
  !addon.runsWith || semver.satisfies(release.version, addon.runsWith, { includePrerelease: true });

export type MoveFault = 'down' | 'skips' | 'range';
/**
 * Why a cluster cannot be moved from one release to another in one go, or undefined where it can: down a version, over a
 * minor version, or from outside the range that the new one names.
 */
export function moveFault(from: Release, to: Release): MoveFault | undefined {
  if (semver.lt(to.version, from.version)) return 'down';
  if (semver.major(to.version) !== semver.major(from.version) || semver.minor(to.version) - semver.minor(from.version) > 1)
    return 'skips';
  return to.upgradesFrom &&
    to.version !== from.version &&
    !semver.satisfies(from.version, to.upgradesFrom, { includePrerelease: true })
    ? 'range'
    : undefined;
}

/**
 * The releases that a cluster passes on its way from one to another, without the one that it has: as few as there can be, each a move that
 * is allowed by itself. Among ways of one length the later versions are taken. Undefined: there is no way with the releases there are.
 *
 * @example 1.32.1 → 1.34.2 with 1.33.0, 1.33.6 and 1.34.2 there: [1.33.6, 1.34.2]
 */
export function upgradePath(from: Release, to: Release, all: readonly Release[]): Release[] | undefined {
  const newer = all
    .filter((r) => semver.gt(r.version, from.version) && semver.lte(r.version, to.version))
    .sort((a, b) => semver.rcompare(a.version, b.version));
  const ways = new Map<Release, Release[]>([[from, []]]);
  for (const now of ways.keys()) {
    const way = ways.get(now) ?? [];
    if (now === to) return way;
    for (const next of newer)
      if (!ways.has(next) && semver.gt(next.version, now.version) && !moveFault(now, next)) ways.set(next, [...way, next]);
  }
  return undefined;
}

/** An object of a kind that a release serves no more, with the line that it begins at in its manifests. */
export interface RemovedObject {
  line: number;
  apiVersion: string;
  kind: string;
  name: string;
  instead?: string;
}
/** What of an add-on's own manifests a release would refuse. */
export function removedIn(release: Release, addon: Addon): RemovedObject[] {
  if (!addon.manifests || !release.removed?.length) return [];
  const { objects, lines } = readManifests(addon.manifests);
  return objects.flatMap((o, i) => {
    const gone = release.removed?.find((r) => r.api === o.apiVersion && (!r.kind || r.kind === o.kind));
    return gone
      ? [
          {
            line: lines[i] ?? 1,
            apiVersion: o.apiVersion,
            kind: o.kind,
            name: o.metadata.name,
            ...(gone.instead ? { instead: gone.instead } : {}),
          },
        ]
      : [];
  });
}
