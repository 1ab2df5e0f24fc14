import { poolsOf } from '../../charter/pools.ts';
import { addonsOf } from '../../model/bills.ts';
import { systemOf } from '../../model/systems.ts';
import { at, each, planFor } from '../check.ts';
import { runsOn } from '../runs-on.ts';

export const CHT044 = each('Charter', {
  code: 'CHT-044',
  severity: 'stop',
  about: 'a program does not run on the operating system of a pool',
  find: (d, view) => {
    const release = view.get('Release', d.release);
    const made = [release, ...addonsOf(d).map((name) => view.get('Addon', name))];
    const { nodes } = planFor(view, d);
    const alone = !nodes.some((n) => n.role === 'worker');
    return poolsOf(d).flatMap((pool) => {
      const system = systemOf(release, pool)?.name;
      // Guests start from the disk of their mould.
      if (!system || !nodes.some((n) => n.pool === pool.name && n.system)) return [];
      const bad = made.flatMap((m) =>
        (m?.components ?? []).filter((c) => c.systems && !c.systems.includes(system) && runsOn(pool, alone)(c.on)),
      );
      const [first] = bad;
      if (!first) return [];
      const other = first.systems?.find((s) => bad.every((c) => c.systems?.includes(s)) && systemOf(release, { system: s }));
      return [
        at(d, [...pool.path, 'system'], {
          title: `${first.name}${bad.length > 1 ? ` and ${bad.length - 1} more` : ''} cannot run on ${pool.name}`,
          text: `Its machines start ${system}; ${bad
            .map((c) => c.name)
            .slice(0, 4)
            .join(', ')} ${bad.length > 1 ? 'run' : 'runs'} on ${first.systems?.join(', ')}.`,
          ...(other
            ? {
                remedy: {
                  label: `Set ${other}`,
                  edits: [
                    { op: 'set' as const, kind: 'Charter' as const, key: d.name, path: [...pool.path, 'system'], value: other },
                  ],
                },
              }
            : {}),
        }),
      ];
    });
  },
});
