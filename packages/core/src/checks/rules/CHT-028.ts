import { poolsOf } from '../../charter/pools.ts';
import { at, each, setTo } from '../check.ts';

export const CHT028 = each('Charter', {
  code: 'CHT-028',
  severity: 'stop',
  about: 'a pool asks for machines, and for guests of a mould',
  find: (d) =>
    poolsOf(d)
      .filter((p) => p.mould && p.from === 'metal')
      .map((p) =>
        at(d, [...p.path, 'from'], {
          title: `${p.name} of ${d.name} asks for machines that are guests`,
          text: `It is to be machines alone, and cast from ${p.mould}: no host is both.`,
          remedy: setTo(d, [...p.path, 'from'], 'guests', 'Take guests'),
        }),
      ),
});
