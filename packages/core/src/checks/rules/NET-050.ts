import { formatPrefix, parsePrefix } from '../../address/parse.ts';
import type { Edit } from '../../model/edit.ts';
import { outside } from '../../reach/ends.ts';
import { type End, trace } from '../../reach/trace.ts';
import { at, each } from '../check.ts';
import { reachAt, someoneIn } from '../reach.ts';

/** What is inside, whoever's it is (RFC 1918, RFC 4193). */
const within = { 4: ['10.0.0.0/8', '172.16.0.0/12', '192.168.0.0/16'], 6: ['fc00::/7'] } as const;

export const NET050 = each('Charter', {
  code: 'NET-050',
  severity: 'mind',
  about: 'nodes of a cluster reach the outside past its proxy',
  find: (c, view) => {
    const own = c.proxy && view.get('Network', c.machineNetwork);
    if (!c.proxy || !own) return [];
    const reach = reachAt(view, own.site);
    const prefix = parsePrefix(own.prefix);
    const end: End = { label: 'the outside', address: outside[prefix.v], network: '' };
    const { forward } = trace(reach, someoneIn(reach, own), end, { bytes: 1, protocol: 'tcp', port: 443 });
    // Handed to somebody of whom nothing is declared, it is outside.
    if (forward.stop?.sort !== 'unknown') return [];
    const over = forward.hops.slice(1).map((h) => h.at);
    const router = reach.routers.find((r) => r.gateway && over.includes(r.name));
    const from = formatPrefix(prefix);
    const edits: Edit[] = router
      ? [
          {
            op: 'set',
            kind: router.ruled.kind,
            key: router.ruled.name,
            path: router.ruled.path,
            value: [...router.rules, ...within[prefix.v].map((to) => ({ do: 'allow', from, to })), { do: 'deny', from }],
          },
        ]
      : [];
    return [
      at(c, ['proxy', 'url'], {
        title: `${c.name} reaches the outside past its proxy`,
        text: `What its nodes send leaves${over.length ? ` over ${over.join(' and ')}` : ''} to ${forward.stop.at} as well: a program that does not ask ${c.proxy.url} is neither stopped nor recorded there.`,
        ...(edits.length ? { remedy: { label: 'Let nodes send to private addresses alone', edits } } : {}),
      }),
    ];
  },
});
