import { parsePrefix } from '../../address/parse.ts';
import { overhead } from '../../charter/arithmetic.ts';
import { trace } from '../../reach/trace.ts';
import { at, each, setTo } from '../check.ts';
import { facesOf, reachAt, someoneIn } from '../reach.ts';

export const NET028 = each('Gateway', {
  code: 'NET-028',
  severity: 'stop',
  about: 'the smallest link between tunnel ends has no room for what the tunnels carry',
  find: (g, view) => {
    if (!g.tunnels) return [];
    const reach = reachAt(view, g.site);
    const { kind, inside } = g.tunnels;
    const short = facesOf(g).flatMap(({ member, face }) => {
      const own = view.get('Network', face.network);
      if (own?.purpose !== 'tunnel') return [];
      const from = { label: member.name, address: face.address, network: own.name };
      const headers = overhead(kind, parsePrefix(own.prefix).v);
      return view
        .by('Network', 'site', g.site)
        .filter((n) => n.endpoints === 'host')
        .flatMap((n) => {
          const { forward } = trace(reach, from, someoneIn(reach, n), 1);
          const smallest = Math.min(face.mtu ?? own.mtu, forward.mtu ?? own.mtu);
          if (forward.stop || smallest >= inside + headers) return [];
          const link = forward.hops.find((h) => h.mtu === smallest)?.network ?? own.name;
          return [{ member, to: n.name, headers, smallest, link, carries: smallest - headers }];
        });
    });
    // The smallest of all says what tunnels can carry.
    const [worst] = short.sort((a, b) => a.carries - b.carries);
    return worst
      ? [
          at(g, ['tunnels', 'inside'], {
            title: `Tunnels of ${worst.member.name} to ${worst.to} carry ${worst.carries} bytes, not ${inside}`,
            text: `${inside} bytes and the headers of ${kind} of ${worst.headers} make ${inside + worst.headers}; the smallest link on the way, ${worst.link}, carries ${worst.smallest}.`,
            remedy: setTo(g, ['tunnels', 'inside'], worst.carries, `Set ${worst.carries}`),
          }),
        ]
      : [];
  },
});
