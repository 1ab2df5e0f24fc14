import { at, each, setTo } from '../check.ts';
import { facesOf } from '../reach.ts';

export const SVC001 = each('Charter', {
  code: 'SVC-001',
  severity: 'stop',
  about: 'a router of a service pool has another AS number than the charter says',
  find: (c, view) =>
    c.servicePool?.announce === 'bgp'
      ? (c.servicePool.peers ?? []).flatMap((p, i) =>
          view.by('Gateway', 'site', c.site).flatMap((g) => {
            const face = facesOf(g).find((f) => f.face.address === p.address);
            const as = face && (face.member.as ?? g.bgp?.as);
            if (!face || as === p.as) return [];
            return [
              at(c, ['servicePool', 'peers', i, 'as'], {
                title: as ? `${face.member.name} is AS ${as}, not ${p.as}` : `${face.member.name} does not speak BGP`,
                text: as
                  ? `The session with ${p.address} would be refused (RFC 4271 §6.2), and nothing that ${c.name} publishes would be reached over it.`
                  : `${g.name} has no AS number: nothing at ${p.address} takes the session.`,
                ...(as ? { remedy: setTo(c, ['servicePool', 'peers', i, 'as'], as, `Set ${as}`) } : {}),
              }),
            ];
          }),
        )
      : [],
});
