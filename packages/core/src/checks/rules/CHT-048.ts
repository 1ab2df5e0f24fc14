import { simulate } from '../../rehearse/simulate.ts';
import { counted } from '../../words/amounts.ts';
import { at, each, roomFor } from '../check.ts';

export const CHT048 = each('Charter', {
  code: 'CHT-048',
  severity: 'mind',
  about: 'when one host is lost, pods of it find no place on the others',
  find: (d, view) => {
    if (!d.workloads?.length) return [];
    const room = roomFor(view, d);
    // Who finds no host at all is told elsewhere.
    if (room.pods.some((p) => p.host === -1) || room.hosts.length < 2) return [];
    const worst = room.hosts
      .map((h, i) => ({ name: h.name, outcome: simulate(room, [{ at: 0, hosts: [i] }], false) }))
      .filter((x) => x.outcome.homeless > 0)
      .sort((a, b) => b.outcome.homeless - a.outcome.homeless || (a.name < b.name ? -1 : 1))[0];
    if (!worst) return [];
    const names = worst.outcome.works.flatMap((w) => (w.stuck.length ? [room.works[w.work]?.name ?? ''] : []));
    return [
      at(d, ['workloads'], {
        title: `Without ${worst.name} ${counted(worst.outcome.homeless, 'pod finds', 'pods find')} no place`,
        text: `${names.slice(0, 5).join(', ')} would run with less, or not at all, until it is back.`,
      }),
    ];
  },
});
