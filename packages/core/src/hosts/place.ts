import type { Site } from '../model/documents.ts';

/** The failure domain of a rack unit at a site, from the site's zones; the rack's own name where none is declared. */
export function zoneOf(site: Site, rack: string | undefined, unit: number | undefined): string | undefined {
  if (!rack) return undefined;
  const zone = site.zones.find((z) => z.rack === rack && (unit === undefined || ((z.from ?? 1) <= unit && unit <= (z.to ?? 60))));
  return zone?.name ?? rack;
}
