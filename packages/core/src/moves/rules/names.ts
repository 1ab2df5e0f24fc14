import { drift } from '../../naming/drift.ts';
import type { MoveRule } from '../move.ts';

/** What is planned is to be served: the smallest update of each zone. */
export const names: MoveRule = ({ site, zones, networks, planned, estate }) => {
  const q = `site=${site.name}`;
  if (!zones.length && networks.length)
    return [
      {
        stage: 'names',
        text: 'no DNS zone is declared: names of hosts and clusters stand in it',
        label: 'Declare it',
        go: `/declare?kind=Zone&${q}&back=/estate`,
      },
    ];
  return zones.flatMap((z) => {
    const served = estate.observed.zones[z.name];
    if (!served || served.error) return [];
    const d = drift(planned(z.name), served.records);
    if (!d.add.length && !d.change.length) return [];
    return [
      {
        stage: 'names' as const,
        text: `${z.name}: ${differing(d.change.length, d.add.length)} on the server`,
        label: 'Show the DNS update',
        go: `/addresses/names?${q}&zone=${z.name}`,
      },
    ];
  });
};

/** 1 record differs, 2 records are missing. */
function differing(changed: number, missing: number): string {
  const records = (n: number, one: string, many: string) => (n ? [`${n} ${n === 1 ? `record ${one}` : `records ${many}`}`] : []);
  return [...records(changed, 'differs', 'differ'), ...records(missing, 'is missing', 'are missing')].join(' and ');
}
