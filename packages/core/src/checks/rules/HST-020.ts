import { at, each, openDoc } from '../check.ts';

export const HST020 = each('Host', {
  code: 'HST-020',
  severity: 'note',
  about: 'a machine has no controller',
  find: (d) => {
    return !d.bmc && !d.guest && d.state !== 'retired' && d.state !== 'sighted'
      ? [
          at(d, ['bmc'], {
            title: `${d.name} has no controller`,
            text: 'Somebody must stand at the machine to start it, and its facts are what was typed.',
            remedy: openDoc(d),
          }),
        ]
      : [];
  },
});
