import { formatPrefix, overlaps, parsePrefix, prefixRange } from '../../address/parse.ts';
import { Space } from '../../address/space.ts';
import { overlappingPairs } from '../../address/overlap.ts';
import type { Check } from '../check.ts';

export const CHT003: Check = {
  code: 'CHT-003',
  severity: 'stop',
  about: 'pod ranges of two clusters overlap',
  reads: ['charters', 'networks', 'hosts'],
  find: ({ estate, serves }) =>
    overlappingPairs(estate.charters.map((c) => ({ ...prefixRange(parsePrefix(c.pods.range)), c }))).map(([a, b]) => {
      // A cluster that stands keeps what it has; of two that are only declared, the one that comes first by name moves.
      const [older, newer] = (serves(a.c) === serves(b.c) ? a.c.name > b.c.name : serves(a.c)) ? [a.c, b.c] : [b.c, a.c];
      const wanted = parsePrefix(newer.pods.range);
      const around = new Space(parsePrefix('10.128.0.0/9'));
      for (const r of [
        ...estate.networks.map((n) => n.prefix),
        ...estate.charters.flatMap((c) => [c.pods.range, c.services.range]),
      ])
        around.take(prefixRange(parsePrefix(r)));
      const count = 2 ** (32 - wanted.length);
      const free = wanted.v === 4 ? around.freeBlock(count, BigInt(count)) : undefined;
      const to = free && formatPrefix({ ...free, length: wanted.length });
      return {
        subject: { kind: 'Charter' as const, name: newer.name },
        path: ['pods', 'range'],
        site: newer.site,
        charters: [newer.name],
        title: `Pod range also belongs to ${older.name}`,
        text: `${newer.name} has ${newer.pods.range}, ${older.name} has ${older.pods.range}. Where both are routed, answers go to the wrong one.`,
        ...(to && !overlaps(prefixRange(parsePrefix(to)), prefixRange(parsePrefix(older.pods.range)))
          ? {
              remedy: {
                label: `Renumber to ${to}`,
                edits: [{ op: 'set' as const, kind: 'Charter' as const, key: newer.name, path: ['pods', 'range'], value: to }],
              },
            }
          : {}),
      };
    }),
};
