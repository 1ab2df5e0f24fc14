import type { Check } from '../check.ts';

export const NET006: Check = {
  code: 'NET-006',
  severity: 'mind',
  about: 'two networks of a site share a VLAN',
  reads: ['networks', 'charters'],
  find: ({ estate, chartersOn }) => {
    const first = new Map<string, string>();
    return estate.networks.flatMap((n) => {
      if (n.vlan === undefined) return [];
      const key = `${n.site} ${n.vlan}`;
      const other = first.get(key);
      if (!other) {
        first.set(key, n.name);
        return [];
      }
      return [
        {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['vlan'],
          site: n.site,
          charters: chartersOn(n.name),
          title: `${n.name} and ${other} share VLAN ${n.vlan}`,
          text: `Both are on VLAN ${n.vlan}: their hosts hear each other's broadcasts, and a DHCP server answers both.`,
        },
      ];
    });
  },
};
