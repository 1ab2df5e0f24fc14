import { compareVersions } from '../../hosts/firmware.ts';
import type { Check } from '../check.ts';

export const HST001: Check = {
  code: 'HST-001',
  severity: 'mind',
  about: 'firmware below the baseline',
  reads: ['hosts', 'baselines'],
  find: ({ estate }) =>
    estate.hosts.flatMap((h) => {
      const base = estate.baselines.find((b) => b.model === h.facts?.model);
      return base && h.facts && h.state !== 'retired' && compareVersions(h.facts.firmware.system, base.system) < 0
        ? [
            {
              subject: { kind: 'Host' as const, name: h.name },
              path: ['facts', 'firmware', 'system'],
              site: h.site,
              title: `Firmware of ${h.name} is below the baseline`,
              text: `${h.facts.firmware.system} stands, ${base.model} is to have ${base.system} or later.`,
            },
          ]
        : [];
    }),
};
