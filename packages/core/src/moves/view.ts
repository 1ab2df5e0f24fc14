import type { Finding } from '../checks/check.ts';
import type { Estate } from '../model/estate.ts';
import { plannedRecords, type PlannedRecord } from '../naming/plan.ts';
import type { Built, SiteView } from './move.ts';

/** Every site with what stands there: each list of the estate is gone through once, however many sites there are. */
export function viewsOf(estate: Estate, findings: readonly Finding[], built: Readonly<Record<string, Built>>): SiteView[] {
  const networks = bySite(estate.networks);
  const hosts = bySite(estate.hosts);
  const hypervisors = bySite(estate.hypervisors);
  const zones = bySite(estate.zones);
  const registries = bySite(estate.registries);
  const charters = bySite(estate.charters);
  const found = bySite(findings);
  const sightings = bySite(estate.observed.sightings);
  const listed = new Set(estate.hosts.flatMap((h) => (h.bmc ? [h.bmc.address] : [])));
  const serving = new Set(estate.hosts.flatMap((h) => (h.held && h.state === 'serving' ? [h.held.charter] : [])));
  let planned: Map<string, PlannedRecord[]> | undefined;
  const plannedIn = (zone: string) => {
    planned ??= group(plannedRecords(estate), (r) => r.zone);
    return planned.get(zone) ?? [];
  };
  return estate.sites.map((site) => {
    const here = charters.get(site.name) ?? [];
    const unbuilt = here.filter((c) => !serving.has(c.name));
    const names = new Set(unbuilt.map((c) => c.name));
    const own = found.get(site.name) ?? [];
    return {
      site,
      networks: networks.get(site.name) ?? [],
      hosts: hosts.get(site.name) ?? [],
      hypervisors: hypervisors.get(site.name) ?? [],
      zones: zones.get(site.name) ?? [],
      registries: registries.get(site.name) ?? [],
      charters: here,
      unbuilt,
      sighted: (sightings.get(site.name) ?? []).filter((s) => !listed.has(s.address)),
      findings: own,
      planned: plannedIn,
      short: own.find((f) => f.code === 'CHT-005' && names.has(f.subject.name)),
      estate,
      built,
    };
  });
}

const bySite = <T extends { site: string }>(list: readonly T[]): Map<string, T[]> => group(list, (x) => x.site);
function group<T>(list: readonly T[], of: (x: T) => string): Map<string, T[]> {
  const out = new Map<string, T[]>();
  for (const x of list) {
    const key = of(x);
    const there = out.get(key);
    if (there) there.push(x);
    else out.set(key, [x]);
  }
  return out;
}
