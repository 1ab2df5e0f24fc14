import { at, each, planFor, setTo } from '../check.ts';

export const CHT024 = each('Charter', {
  code: 'CHT-024',
  severity: 'mind',
  about: 'a host counts as lost before it could renew its lease',
  find: (c, view) => {
    const { timers: t } = planFor(view, c);
    // Two renewals that are late are no reason: a host renews four times in a lease.
    const least = Math.ceil((t.lease / 4) * 3);
    return t.grace < least
      ? [
          at(c, ['timers', 'grace'], {
            title: `A host counts as lost after ${t.grace} s, and renews its lease every ${t.lease / 4} s`,
            text: `With fewer than three renewals (${least} s) a moment without network moves pods of hosts that are well.`,
            remedy: setTo(c, ['timers', 'grace'], undefined, 'Let it follow'),
          }),
        ]
      : [];
  },
});
