import { addonsOf } from '../../model/bills.ts';
import { runsWith, skewFaults } from '../../images/versions.ts';
import { each } from '../check.ts';

const minors = (n: number) => `${n} minor ${n === 1 ? 'version' : 'versions'}`;

export const IMG010 = each(['Release', 'Charter'], {
  code: 'IMG-010',
  severity: 'stop',
  about: 'versions that do not go together',
  find: (doc, view) => {
    if (doc.kind === 'Release')
      return skewFaults(doc).map((f) => ({
        subject: { kind: 'Release' as const, name: doc.name },
        path: ['skew'],
        site: view.get('Registry', doc.source)?.site ?? '',
        charters: view.by('Charter', 'bill', doc.name).map((c) => c.name),
        title: `${f.component} ${f.version} does not go with ${f.against} ${f.is}`,
        text:
          Math.abs(f.by) >= 1000
            ? `They are of different major versions. ${doc.name} says so itself: its publisher must mend it.`
            : `It is ${minors(Math.abs(f.by))} ${f.by < 0 ? 'behind' : 'ahead'}; ${doc.name} allows ${f.behind} behind and ${f.ahead} ahead.`,
      }));
    const release = view.get('Release', doc.release);
    return addonsOf(doc).flatMap((name) => {
      const addon = view.get('Addon', name);
      return release && addon && !runsWith(addon, release)
        ? [
            {
              subject: { kind: 'Charter' as const, name: doc.name },
              path: ['addons'],
              site: doc.site,
              charters: [doc.name],
              title: `${addon.title} ${addon.version} does not run with ${release.version}`,
              text: `It runs with releases ${addon.runsWith}. Choose another version of it, or another release for ${doc.name}.`,
            },
          ]
        : [];
    });
  },
});
