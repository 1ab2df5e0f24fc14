import { doTo } from '../hosts/states.ts';
import type { Charter } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import { type Estate, keyOf } from '../model/estate.ts';
import { returnPrecinct } from '../reach/precinct.ts';
import { standsOn } from './stands-on.ts';

/**
 * What goes with a charter when it is deleted: hosts that are held for it, addresses that it reserved, its precinct, and that others are kept apart
 * from it. All of it, or nothing.
 *
 * @returns refused: something of it runs, or lies on drives
 */
export function deletionOf(estate: Estate, charter: Charter): { edits: Edit[] } | { refused: string; remedy: string } {
  const { name } = charter;
  const stands = standsOn(estate, name);
  if (stands) return stands;
  const letGo = estate.hosts.flatMap((h): Edit[] => {
    if (h.held?.charter !== name) return [];
    const step = doTo(h, 'let-go', { fits: h.state === 'held' });
    return 'refused' in step ? [] : [{ op: 'put', doc: step.host }];
  });
  return {
    edits: [
      ...letGo,
      ...estate.reservations
        .filter((r) => r.owner.kind === 'charter' && r.owner.name === name)
        .map((r): Edit => ({ op: 'drop', kind: 'Reservation', key: keyOf(r) })),
      ...returnPrecinct(estate, name),
      ...estate.charters.flatMap((c): Edit[] =>
        c.apart?.includes(name)
          ? [{ op: 'set', kind: 'Charter', key: c.name, path: ['apart'], value: c.apart.filter((x) => x !== name) }]
          : [],
      ),
      { op: 'drop', kind: 'Charter', key: name },
    ],
  };
}
