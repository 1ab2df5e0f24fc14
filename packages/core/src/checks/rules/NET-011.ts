import type { Check } from '../check.ts';

export const NET011: Check = {
  code: 'NET-011',
  severity: 'mind',
  about: 'a network of tunnels has no room for the encapsulation',
  reads: ['networks'],
  find: ({ estate }) =>
    estate.networks
      .filter((n) => n.purpose === 'tunnel' && n.mtu < 1600)
      .map((n) => ({
        subject: { kind: 'Network', name: n.name },
        path: ['mtu'],
        site: n.site,
        title: `MTU ${n.mtu} of ${n.name} is too small for tunnels`,
        text: 'A full frame of 1500 bytes and an outer header of 50 to 78 do not fit; at least 1600 is wanted.',
        remedy: { label: 'Set 1700', edits: [{ op: 'set', kind: 'Network', key: n.name, path: ['mtu'], value: 1700 }] },
      })),
};
