import { runsWith, skewFaults } from '../../images/versions.ts';
import type { Check } from '../check.ts';

const minors = (n: number) => `${n} minor ${n === 1 ? 'version' : 'versions'}`;

export const IMG010: Check = {
  code: 'IMG-010',
  severity: 'stop',
  about: 'versions that do not go together',
  reads: ['charters', 'releases', 'addons', 'registries'],
  find: ({ estate }) => {
    const siteOf = (registry: string) => estate.registries.find((r) => r.name === registry)?.site ?? '';
    const within = estate.releases.flatMap((r) =>
      skewFaults(r).map((f) => ({
        subject: { kind: 'Release' as const, name: r.name },
        path: ['skew'],
        site: siteOf(r.source),
        charters: estate.charters.flatMap((c) => (c.release === r.name ? [c.name] : [])),
        title: `${f.component} ${f.version} does not go with ${f.against} ${f.is}`,
        text:
          Math.abs(f.by) >= 1000
            ? `They are of different major versions. ${r.name} says so itself: its publisher must mend it.`
            : `It is ${minors(Math.abs(f.by))} ${f.by < 0 ? 'behind' : 'ahead'}; ${r.name} allows ${f.behind} behind and ${f.ahead} ahead.`,
      })),
    );
    const between = estate.charters.flatMap((c) => {
      const release = estate.releases.find((r) => r.name === c.release);
      return c.addons.flatMap((name) => {
        const addon = estate.addons.find((a) => a.name === name);
        return release && addon && !runsWith(addon, release)
          ? [
              {
                subject: { kind: 'Charter' as const, name: c.name },
                path: ['addons'],
                site: c.site,
                charters: [c.name],
                title: `${addon.title} ${addon.version} does not run with ${release.version}`,
                text: `It runs with releases ${addon.runsWith}. Choose another version of it, or another release for ${c.name}.`,
              },
            ]
          : [];
      });
    });
    return [...within, ...between];
  },
};
