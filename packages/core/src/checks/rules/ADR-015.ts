import type { View } from '../../reading/index.ts';
import { at, each } from '../check.ts';

/** Names of the hosts of a site: most addresses are kept for hosts of their own site, and what hosts are made of is no matter here. */
const hostsAt = (view: View, site: string): Readonly<Record<string, true>> =>
  view.memo(`names of hosts at ${site}`, () =>
    Object.fromEntries(view.by('Host', 'site', site).map((h) => [h.name, true as const])),
  );

const shelves = { host: 'Host', registry: 'Registry', site: 'Site', charter: 'Charter' } as const;

export const ADR015 = each('Reservation', {
  code: 'ADR-015',
  severity: 'note',
  about: 'an address is reserved for something that is not there any more',
  find: (d, view) => {
    const shelf = shelves[d.owner.kind as 'host'];
    const site = view.get('Network', d.network)?.site ?? '';
    if (!shelf || (shelf === 'Host' && hostsAt(view, site)[d.owner.name]) || view.get(shelf, d.owner.name)) return [];
    return [
      at(d, ['owner'], {
        site,
        title: `${d.address} is kept for ${d.owner.name}, which is not there`,
        text: `The ledger has it for the ${d.owner.kind} ${d.owner.name}${d.name ? ` as ${d.name}` : ''}, and no such ${d.owner.kind} is declared.`,
        remedy: { label: 'Release the address', edits: [{ op: 'drop', kind: 'Reservation', key: `${d.network}/${d.address}` }] },
      }),
    ];
  },
});
