import { baselineOf, firmwareLines } from '../../hosts/firmware.ts';
import { each } from '../check.ts';

export const HST001 = each('Host', {
  code: 'HST-001',
  severity: 'mind',
  about: 'firmware below the baseline',
  find: (h, view) => {
    const base = baselineOf(h.facts, view.all('Baseline'));
    if (!base || !h.facts || h.state === 'retired') return [];
    const bad = firmwareLines(h.facts, base).filter((l) => !l.ok);
    return bad.length
      ? [
          {
            subject: { kind: 'Host' as const, name: h.name },
            path: ['facts', 'firmware', bad[0]?.part === 'bmc' ? 'bmc' : 'system'],
            site: h.site,
            title: `Firmware of ${h.name} is not at the baseline`,
            text: `${bad.map((l) => `${l.part}: ${l.stands} found, ${l.wanted} required`).join('; ')} (baseline of ${base.model}).`,
            remedy: { label: 'Show the plan', act: { kind: 'open' as const, path: `/hosts/${h.name}?part=firmware` } },
          },
        ]
      : [];
  },
});
