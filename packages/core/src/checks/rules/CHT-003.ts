import { formatPrefix, overlaps, parsePrefix, prefixRange } from '../../address/parse.ts';
import { Space } from '../../address/space.ts';
import { drawnFor } from '../../template/draw.ts';
import { familiesOf, rangesOf } from '../../charter/families.ts';
import { givesWay } from '../../charter/stands.ts';
import { each } from '../check.ts';
import { podsSharing } from '../ranges.ts';

export const CHT003 = each('Charter', {
  code: 'CHT-003',
  severity: 'stop',
  about: 'pod ranges of two clusters overlap',
  find: (newer, view) =>
    (podsSharing(view).get(newer.name) ?? []).flatMap((name) => {
      const older = view.get('Charter', name);
      if (!older) return [];
      if (!givesWay(view, newer, older)) return [];
      const range = (text: string) => prefixRange(parsePrefix(text));
      const pairs = familiesOf(newer).flatMap((mine) => familiesOf(older).map((theirs) => ({ mine, theirs })));
      const hit = pairs.find((p) => overlaps(range(p.mine.pods), range(p.theirs.pods)));
      if (!hit) return [];
      const wanted = parsePrefix(hit.mine.pods);
      const around = new Space(parsePrefix('10.128.0.0/9'));
      for (const r of [
        ...view.all('Network').map((n) => n.prefix),
        ...view.all('Charter').flatMap((c) => rangesOf(c).map((r) => r.range)),
      ])
        around.take(prefixRange(parsePrefix(r)));
      const count = 2 ** (32 - wanted.length);
      const free = wanted.v === 4 ? around.freeBlock(count, BigInt(count)) : undefined;
      // What its template gives comes before any other that is free.
      const given = drawnFor(newer, view)?.charter;
      const follows = given && familiesOf(given).find((f) => f.at.pods.join() === hit.mine.at.pods.join())?.pods;
      const drawn = follows && !overlaps(range(follows), range(hit.theirs.pods)) ? follows : undefined;
      const to = drawn ?? (free && formatPrefix({ ...free, length: wanted.length }));
      return [
        {
          subject: { kind: 'Charter' as const, name: newer.name },
          path: hit.mine.at.pods,
          site: newer.site,
          charters: [newer.name],
          title: `Pod range also belongs to ${older.name}`,
          text: `${newer.name} has ${hit.mine.pods}, ${older.name} has ${hit.theirs.pods}. Where both are routed, answers go to the wrong one.${drawn ? ` Its template gives ${drawn}.` : ''}`,
          ...(to && !overlaps(prefixRange(parsePrefix(to)), range(hit.theirs.pods))
            ? {
                remedy: {
                  label: drawn ? `Let it follow: ${to}` : `Renumber to ${to}`,
                  edits: [{ op: 'set' as const, kind: 'Charter' as const, key: newer.name, path: hit.mine.at.pods, value: to }],
                },
              }
            : {}),
        },
      ];
    }),
});
