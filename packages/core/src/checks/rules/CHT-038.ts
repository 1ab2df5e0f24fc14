import { workerPools } from '../../charter/pools.ts';
import { at, each } from '../check.ts';

export const CHT038 = each('Charter', {
  code: 'CHT-038',
  severity: 'mind',
  about: 'one host alone is kept for what comes in',
  find: (d) => {
    const pools = workerPools(d).filter((p) => p.roles.includes('inbound'));
    const hosts = pools.reduce((n, p) => n + p.count, 0);
    const [pool] = pools;
    return pool && hosts === 1 && d.controlPlane.count > 1
      ? [
          at(d, [...pool.path, 'count'], {
            title: `One host of ${pool.name} takes what comes in`,
            text: 'The inbound address has nowhere to go while that host is away.',
          }),
        ]
      : [];
  },
});
