import { at, eachGroup } from '../check.ts';

export const HST018 = eachGroup('Host', 'controller', {
  code: 'HST-018',
  severity: 'stop',
  about: 'two hosts have one controller',
  find: (d) => {
    const [first, ...others] = d;
    return others.map((h) =>
      at(h, ['bmc', 'address'], {
        charters: [h, first].flatMap((x) => (x.held && x.state === 'held' ? [x.held.charter] : [])),
        title: `${h.name} and ${first.name} have the controller ${h.bmc?.address}`,
        text: 'One machine was listed twice, or an address was typed wrongly.',
        remedy: { label: `Open ${h.name}`, act: { kind: 'open', path: `/hosts/${h.name}` } },
      }),
    );
  },
});
