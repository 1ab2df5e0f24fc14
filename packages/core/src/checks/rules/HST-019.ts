import { at, eachGroup } from '../check.ts';

export const HST019 = eachGroup('Host', 'serial', {
  code: 'HST-019',
  severity: 'mind',
  about: 'two hosts have one serial number',
  find: (d) => {
    const [first, ...others] = d;
    return others.map((h) =>
      at(h, ['facts', 'serial'], {
        title: `${h.name} and ${first.name} have the serial ${h.facts?.serial}`,
        text: 'One machine was listed twice, or its maker left the number open.',
        remedy: { label: `Open ${h.name}`, act: { kind: 'open', path: `/hosts/${h.name}` } },
      }),
    );
  },
});
