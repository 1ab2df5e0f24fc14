import { holds, parseIp, parseRange, serverList } from '../../address/parse.ts';
import { at, each } from '../check.ts';

export const NET020 = each(['Site', 'Network'], {
  code: 'NET-020',
  severity: 'mind',
  about: 'a resolver or time server lies in a scope or pool',
  find: (d, view) => {
    const site = d.kind === 'Site' ? d.name : d.site;
    const parts = view
      .by('Network', 'site', site)
      .flatMap((n) => [...n.dhcp, ...n.pools.filter((p) => p.use === 'service')].map((p) => ({ ...p, net: n.name })));
    return (['resolvers', 'ntp'] as const).flatMap((field) => {
      const loose = serverList(d[field] ?? []).servers.flatMap((a) => {
        const p = parts.find((x) => holds(parseRange(x.range), parseIp(a)));
        const bound = p && view.by('Reservation', 'address', a).some((r) => r.network === p.net && r.mac);
        return p && !bound ? [{ a, p }] : [];
      });
      const [first] = loose;
      return first
        ? [
            at(d, [field], {
              title: `${loose.map((x) => x.a).join(' and ')} can be given to another machine`,
              text: `${first.a} is a ${field === 'ntp' ? 'time server' : 'resolver'} of ${d.name} and lies in ${first.p.name} (${first.p.range}) of ${first.p.net}, bound to no MAC.`,
              remedy: {
                label: 'Show the address',
                act: { kind: 'open', path: `/addresses?site=${site}&net=${first.p.net}&at=${first.a}` },
              },
            }),
          ]
        : [];
    });
  },
});
