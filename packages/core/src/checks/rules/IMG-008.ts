import { counted } from '../../words/amounts.ts';
import { each } from '../check.ts';

export const IMG008 = each('Registry', {
  code: 'IMG-008',
  severity: 'mind',
  about: 'content of a registry does not verify any more',
  find: (r, view) => {
    const seen = view.get('seen registry', r.name);
    const damaged = seen?.scrub?.damaged ?? [];
    if (!damaged.length) return [];
    const held = new Set(seen?.digests);
    // What was shipped again since is no matter any more.
    const lost = damaged.filter((d) => !held.has(d.digest));
    return lost.length
      ? [
          {
            subject: { kind: 'Registry' as const, name: r.name },
            path: ['endpoint'],
            site: r.site,
            title: `${counted(lost.length, 'layer is', 'layers are')} corrupt at ${r.name}`,
            text: `The scrub of ${seen?.scrub?.endedAt?.slice(0, 10) ?? 'today'} put ${lost[0]?.digest.slice(0, 19)}…${lost.length > 1 ? ` and ${lost.length - 1} more` : ''} aside: ${lost[0]?.why}. A shipment brings it again; look at the disk that it lay on.`,
          },
        ]
      : [];
  },
});
