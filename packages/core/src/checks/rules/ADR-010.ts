import { leftOver } from '../../ledger/left-over.ts';
import { each, serves } from '../check.ts';

export const ADR010 = each('Reservation', {
  code: 'ADR-010',
  severity: 'mind',
  about: 'an address stays reserved for a node that its cluster has no more',
  find: (r, view) => {
    // Before a cluster stands, saving its charter gives back what it does not need.
    const left = r.owner.kind === 'charter' && leftOver(r, (name) => view.get('Host', name));
    if (!left || !serves(view, r.owner)) return [];
    const key = `${r.network}/${r.address}`;
    return [
      {
        subject: { kind: 'Reservation' as const, name: key },
        path: ['owner'],
        site: view.get('Network', r.network)?.site ?? '',
        title: `${r.address} stays reserved for ${left.host}, which ${r.owner.name} has no more`,
        text:
          left.is === 'rests'
            ? `${left.host} was given back and is not wiped: it may still run as a node of ${r.owner.name} and use the address. Take the node out of the cluster (kubectl delete node), and wipe the host.`
            : `${left.host} ${left.doc ? 'was given back and wiped' : 'is not listed any more'}. Nothing uses the address for ${r.owner.name}.`,
        remedy:
          left.is === 'rests'
            ? { label: `Wipe ${left.host}`, act: { kind: 'open' as const, path: `/hosts/${left.host}` } }
            : { label: 'Release the address', edits: [{ op: 'drop' as const, kind: 'Reservation' as const, key }] },
      },
    ];
  },
});
