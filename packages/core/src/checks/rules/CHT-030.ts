import { poolsOf } from '../../charter/pools.ts';
import { addonsOf } from '../../model/bills.ts';
import { systemOf } from '../../model/systems.ts';
import { at, each, planFor } from '../check.ts';
import { runsOn } from '../runs-on.ts';

export const CHT030 = each('Charter', {
  code: 'CHT-030',
  severity: 'stop',
  about: 'a program has no image for the architecture of a pool that it runs on',
  find: (d, view) => {
    const release = view.get('Release', d.release);
    const addons = addonsOf(d).flatMap((name) => view.get('Addon', name) ?? []);
    const alone = !planFor(view, d).nodes.some((n) => n.role === 'worker');
    return poolsOf(d)
      .filter((p) => p.count > 0)
      .flatMap((pool) => {
        const runs = runsOn(pool, alone);
        const system = systemOf(release, pool)?.name;
        const lacks = [release, ...addons].flatMap((made) =>
          (made?.components ?? [])
            .filter(
              (c) =>
                (c.on === 'boot' ? made === release && c.name === system : runs(c.on)) &&
                !(c.arch ?? made?.arch ?? [pool.arch]).includes(pool.arch),
            )
            .map((c) => c.name),
        );
        // Of the release as a whole CHT-010 says it.
        if (!lacks.length || (release && !release.arch.includes(pool.arch) && pool.arch === d.arch)) return [];
        return [
          at(d, [...pool.path, ...(pool.arch === d.arch ? ['count'] : ['arch'])], {
            title: `${lacks[0]}${lacks.length > 1 ? ` and ${lacks.length - 1} more` : ''} cannot run on ${pool.name}`,
            text: `Its nodes are ${pool.arch}; ${lacks.slice(0, 4).join(', ')}${lacks.length > 4 ? ' and others' : ''} ${lacks.length > 1 ? 'have' : 'has'} no image for that.`,
          }),
        ];
      });
  },
});
