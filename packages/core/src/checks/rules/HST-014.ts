import { nearest } from '../../model/nearest.ts';
import { each } from '../check.ts';

export const HST014 = each('Host', {
  code: 'HST-014',
  severity: 'stop',
  about: 'a guest that cannot be cast: no such hypervisor, mould, or bridge for its network',
  find: (h, view) => {
    const near = (word: string, words: Iterable<string>) => {
      const n = nearest(word, [...words]);
      return n ? `; did you mean ${n}?` : '';
    };
    if (!h.guest || h.state === 'retired') return [];
    const on = view.get('Hypervisor', h.guest.hypervisor);
    const mould = view.get('Mould', h.guest.mould);
    const lacking = on && mould?.networks.find((n) => !on.networks.some((b) => b.network === n));
    const why = !on
      ? `there is no hypervisor ${h.guest.hypervisor}${near(h.guest.hypervisor, view.keys('Hypervisor'))}`
      : !mould
        ? `there is no mould ${h.guest.mould}${near(h.guest.mould, view.keys('Mould'))}`
        : lacking
          ? `${on.name} has no bridge for ${lacking}`
          : undefined;
    return why
      ? [
          {
            subject: { kind: 'Host' as const, name: h.name },
            path: ['guest', on ? 'mould' : 'hypervisor'],
            site: h.site,
            charters: h.held && h.state === 'held' ? [h.held.charter] : [],
            title: `${h.name} cannot be cast`,
            text: `It is a guest, and ${why}${why.endsWith('?') ? '' : '.'}`,
          },
        ]
      : [];
  },
});
