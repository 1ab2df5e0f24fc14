import { each } from '../check.ts';
import { mendController } from '../mend.ts';

export const HST017 = each('Host', {
  code: 'HST-017',
  severity: 'note',
  about: 'the facts of a host were read in part',
  find: (h) =>
    h.facts?.unreadParts?.length
      ? [
          {
            subject: { kind: 'Host' as const, name: h.name },
            path: ['facts', 'unreadParts'],
            site: h.site,
            title: `${h.name} was read without ${h.facts.unreadParts.map((p) => p.split(':')[0]).join(' and ')}`,
            text: `Its controller answered with an error: ${h.facts.unreadParts.join('; ')}.`,
            remedy: mendController(h, 'answer'),
          },
        ]
      : [],
});
