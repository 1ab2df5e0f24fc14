import { at, each, setTo } from '../check.ts';

export const STO001 = each('Charter', {
  code: 'STO-001',
  severity: 'stop',
  about: 'two storage classes are the default',
  find: (d) => {
    const all = (d.storage ?? []).map((c, i) => ({ c, i })).filter(({ c }) => c.standard);
    return all.slice(1).map(({ c, i }) =>
      at(d, ['storage', i, 'standard'], {
        title: `${c.name} and ${all[0]?.c.name} are both the default`,
        text: 'A claim that names no class then gets the one that was made last, whichever that is.',
        remedy: setTo(d, ['storage', i, 'standard'], undefined, `Keep ${all[0]?.c.name}`),
      }),
    );
  },
});
