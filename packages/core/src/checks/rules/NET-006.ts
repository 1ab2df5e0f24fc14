import { chartersOn, eachGroup } from '../check.ts';

/** Of one version of IP: a network of each can well share a VLAN. */
export const NET006 = eachGroup('Network', 'vlan', {
  code: 'NET-006',
  severity: 'mind',
  about: 'two networks of a site share a VLAN',
  find: ([first, ...others], view) =>
    others.map((n) => ({
      subject: { kind: 'Network' as const, name: n.name },
      path: ['vlan'],
      site: n.site,
      charters: chartersOn(view, n.name),
      title: `${n.name} and ${first.name} share VLAN ${n.vlan}`,
      text: `Both are on VLAN ${n.vlan}: their hosts hear each other's broadcasts, and a DHCP server answers both.`,
    })),
});
