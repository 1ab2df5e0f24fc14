import { formatIp, parseIp } from '../address/parse.ts';
import { timeServersOf } from '../naming/servers.ts';
import type { Computed } from './plan.ts';

/** What stands for a field of a charter that is not set, by its path. A field that follows is a line. */
const followed: Readonly<Record<string, (plan: Computed) => string | number | undefined>> = {
  'timers.grace': (p) => p.timers.grace,
  'timers.tolerate': (p) => p.timers.tolerate,
  'overlay.mtu': (p) => p.podMtu.link - p.podMtu.overhead,
  'api.name': (p) => p.api.name,
  'api.address': (p) => (p.api.address ? formatIp(parseIp(p.api.address)) : undefined),
  'api.port': (p) => p.api.port,
  'inbound.name': (p) => p.inbound.name,
  'certificates.days': (p) => p.certificates.find((c) => c.name === 'apiserver')?.days,
  nodesFrom: (p) => p.nodes.map((n) => n.address).filter(Boolean)[0],
  podNetwork: (p) => (p.release ? 'the release’s own' : undefined),
  ntp: (p) => timeServersOf(p.site, p.network).join(', ') || undefined,
  timezone: () => 'UTC',
};
export const followedValue = (plan: Computed, path: readonly string[]): string | number | undefined =>
  followed[path.join('.')]?.(plan);
/** Paths of which what follows is known. */
export const followedPaths = Object.keys(followed);
