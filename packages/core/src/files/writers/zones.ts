import { plannedRecords, recordsOfZone, zoneFile } from '../../naming/index.ts';
import { type ClusterWriter, file } from '../kit.ts';

/** Master files of the site's zones as planned. The serial is that of the served zone, one further. */
export const zones: ClusterWriter = {
  name: 'zone files',
  write: ({ plan, estate }) => {
    const held = new Set(estate.reservations.map((r) => `${r.network} ${r.address}`));
    const all = plannedRecords({
      ...estate,
      reservations: [...estate.reservations, ...plan.reservations.filter((r) => !held.has(`${r.network} ${r.address}`))],
    });
    return estate.zones
      .filter((z) => z.site === plan.charter.site)
      .map((z) =>
        file(
          `cluster/zones/${z.name}.zone`,
          zoneFile(z, (estate.observed.zones[z.name]?.serial ?? 0) + 1, recordsOfZone(all, z.name)),
          [`zone ${z.name}`, 'ledger', 'records'],
        ),
      );
  },
};
