import { at, each } from '../check.ts';
import { exampleAs, privateAs } from '../reach.ts';

export const NET045 = each('Gateway', {
  code: 'NET-045',
  severity: 'mind',
  about: 'the AS number of a gateway is one of the internet, or is kept for texts',
  find: (g) =>
    [
      ...(g.bgp ? [{ as: g.bgp.as, path: ['bgp', 'as'] as (string | number)[], of: g.name }] : []),
      ...g.members.flatMap((m, i) => (m.as === undefined ? [] : [{ as: m.as, path: ['members', i, 'as'], of: m.name }])),
    ].flatMap(({ as, path, of }) =>
      privateAs(as)
        ? []
        : [
            at(g, path, {
              title: exampleAs(as)
                ? `AS ${as} of ${of} is kept for examples`
                : `AS ${as} of ${of} belongs to somebody on the internet`,
              text: exampleAs(as)
                ? 'Routers may refuse it (RFC 5398). Numbers from 64512 to 65534, and from 4200000000 on, are for use within an organisation (RFC 6996).'
                : 'Numbers from 64512 to 65534, and from 4200000000 on, are for use within an organisation (RFC 6996).',
            }),
          ],
    ),
});
