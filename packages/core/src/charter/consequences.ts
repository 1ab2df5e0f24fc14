import { moveFault, upgradePath } from '../images/versions.ts';
import type { Release } from '../model/documents.ts';
import { reverseName } from '../naming/reverse.ts';
import type { Estate } from '../model/estate.ts';
import type { Plan } from './plan.ts';

export interface Change {
  what: 'release' | 'address' | 'record' | 'host' | 'value' | 'certificate' | 'image';
  how: 'added' | 'changed' | 'removed';
  subject: string;
  before?: string;
  after?: string;
  disruptive?: string;
}

/** What a new plan adds, changes and takes away against the one before it (none: everything is new). */
export function consequences(before: Plan | undefined, after: Plan, estate: Estate): Change[] {
  const out: Change[] = [];
  const compare = (
    what: Change['what'],
    b: Map<string, string>,
    a: Map<string, string>,
    disruptive?: (how: Change['how'], s: string) => string | undefined,
  ) => {
    for (const [subject, value] of a) {
      const old = b.get(subject);
      if (old === value) continue;
      const how = old === undefined ? 'added' : 'changed';
      const d = disruptive?.(how, subject);
      out.push({
        what,
        how,
        subject,
        ...(old === undefined ? {} : { before: old }),
        after: value,
        ...(d ? { disruptive: d } : {}),
      });
    }
    for (const [subject, value] of b)
      if (!a.has(subject)) {
        const d = disruptive?.('removed', subject);
        out.push({ what, how: 'removed', subject, before: value, ...(d ? { disruptive: d } : {}) });
      }
  };
  const hosts = (p: Plan | undefined) => new Map(p?.nodes.map((n) => [n.host, n.role]));
  const addresses = (p: Plan | undefined) => new Map(p?.reservations.map((r) => [r.owner.use ?? r.address, r.address]));
  const records = (p: Plan | undefined) =>
    new Map(
      p?.reservations.flatMap((r) =>
        r.name
          ? [
              [`${r.name} A`, r.address] as const,
              ...(r.name.startsWith('*') ? [] : [[`${reverseName(r.address)} PTR`, r.name] as const]),
            ]
          : [],
      ),
    );
  const values = (p: Plan | undefined) =>
    new Map(
      p?.follows
        .filter((f) => ['bill', 'redirects', 'pod-mtu', 'proxy', 'room', 'quorum', 'capacity', 'timers'].includes(f.id))
        .map((f) => [f.label, f.text]),
    );
  /** Images that the mirror lacks, and that have to be shipped before it can be built. */
  const lacking = (p: Plan | undefined) =>
    new Map(p?.images.missingImages.map((ref) => [ref, `to be shipped to ${p.charter.mirror}`]));
  const certs = (p: Plan | undefined) => new Map(p?.certificates.map((c) => [c.name, [...c.names, ...c.addresses].join(', ')]));
  const serves = (host: string) => estate.hosts.find((h) => h.name === host)?.state === 'serving';
  const releases = (p: Plan | undefined) => new Map(p?.release ? [['release', p.release.name] as const] : []);
  const stands = estate.hosts.some((h) => h.held?.charter === after.charter.name && h.state === 'serving');
  compare('release', releases(before), releases(after), (how) =>
    how === 'changed' && stands && before?.release && after.release
      ? whyNotTo(before.release, after.release, estate.releases)
      : undefined,
  );
  compare('host', hosts(before), hosts(after), (how, s) =>
    serves(s) && how !== 'added' ? 'the host serves: it must be drained first' : undefined,
  );
  compare('address', addresses(before), addresses(after), (how, s) =>
    how === 'changed' && serves(s.replace('node ', '')) ? 're-create: a serving node keeps its address' : undefined,
  );
  compare('record', records(before), records(after));
  compare('image', lacking(before), lacking(after));
  compare('value', values(before), values(after));
  compare('certificate', certs(before), certs(after));
  return out;
}

/** Why a cluster that stands cannot go from one release to another in one go, in words. */
const over = (from: Release, to: Release, all: readonly Release[]) => {
  const way = upgradePath(from, to, all);
  return way
    ? `: go over ${way
        .slice(0, -1)
        .map((r) => r.name)
        .join(', ')}`
    : ', and no release between is there';
};
function whyNotTo(from: Release, to: Release, all: readonly Release[]): string | undefined {
  switch (moveFault(from, to)) {
    case 'down':
      return `a cluster does not go back from ${from.version} to ${to.version}: it would have to be built anew`;
    case 'skips':
      return `a cluster moves one minor version at a time, and ${to.version} is further from ${from.version}${over(from, to, all)}`;
    case 'range':
      return `${to.name} takes over clusters of ${to.upgradesFrom} only, and this one has ${from.version}`;
    default:
      return undefined;
  }
}
