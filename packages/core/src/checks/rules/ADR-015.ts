import { at, each } from '../check.ts';

export const ADR015 = each('Reservation', {
  code: 'ADR-015',
  severity: 'note',
  about: 'an address is reserved for something that is not there any more',
  find: (d, view) => {
    const shelf = ({ host: 'Host', registry: 'Registry', site: 'Site', charter: 'Charter' } as const)[d.owner.kind as 'host'];
    if (!shelf || view.get(shelf, d.owner.name)) return [];
    return [
      at(d, ['owner'], {
        site: view.get('Network', d.network)?.site ?? '',
        title: `${d.address} is kept for ${d.owner.name}, which is not there`,
        text: `The ledger has it for the ${d.owner.kind} ${d.owner.name}${d.name ? ` as ${d.name}` : ''}, and no such ${d.owner.kind} is declared.`,
        remedy: { label: 'Release the address', edits: [{ op: 'drop', kind: 'Reservation', key: `${d.network}/${d.address}` }] },
      }),
    ];
  },
});
