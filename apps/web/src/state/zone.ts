import type { Site } from '@praesidor/core/model';

/** The zone that a page speaks in: that of the site in scope; of all sites where they share one; else UTC. */
export function zoneFor(sites: readonly Pick<Site, 'name' | 'timezone'>[], site: string): string {
  const own = sites.find((s) => s.name === site)?.timezone;
  if (own) return own;
  const zones = new Set(sites.map((s) => s.timezone));
  return zones.size === 1 ? ([...zones][0] as string) : 'UTC';
}
