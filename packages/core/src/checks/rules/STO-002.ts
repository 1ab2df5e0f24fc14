import { at, each, setTo } from '../check.ts';

export const STO002 = each('Charter', {
  code: 'STO-002',
  severity: 'mind',
  about: 'no storage class is the default',
  find: (d) => {
    const all = d.storage ?? [];
    return all.length && !all.some((c) => c.standard)
      ? [
          at(d, ['storage', 0, 'standard'], {
            title: `No class of ${d.name} is the default`,
            text: 'A claim that names no class waits until it is deleted.',
            remedy: setTo(d, ['storage', 0, 'standard'], true, `Make ${all[0]?.name} the default`),
          }),
        ]
      : [];
  },
});
