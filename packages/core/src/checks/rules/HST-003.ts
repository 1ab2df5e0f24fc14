import { clockText } from '../../words/moments.ts';
import { clockOf, each } from '../check.ts';

export const HST003 = each('Host', {
  code: 'HST-003',
  severity: 'stop',
  about: 'a BMC shows another certificate than the one pinned',
  find: (h, view) => {
    const s = h.bmc && view.get('sighting', h.bmc.address);
    if (!s || !h.bmc?.fingerprint || s.fingerprint === h.bmc.fingerprint) return [];
    const short = (f: string) => `${f.slice(0, 5)}:…:${f.slice(-5)}`;
    return [
      {
        subject: { kind: 'Host' as const, name: h.name },
        path: ['bmc', 'fingerprint'],
        site: h.site,
        charters: h.held && h.state === 'held' ? [h.held.charter] : [],
        title: `${h.name} changed its certificate`,
        text: `Its BMC shows ${short(s.fingerprint)} since ${clockText(s.at, clockOf(view, h.site))}, pinned was ${short(h.bmc.fingerprint)}. Nothing is sent to it until somebody looks.`,
        remedy: {
          label: `Pin ${short(s.fingerprint)}`,
          edits: [{ op: 'set' as const, kind: 'Host' as const, key: h.name, path: ['bmc', 'fingerprint'], value: s.fingerprint }],
        },
      },
    ];
  },
});
