import { standbyVolumes } from '../../backup/standby.ts';
import { gigabytesText } from '../../words/amounts.ts';
import { at, each } from '../check.ts';

export const STO034 = each('Charter', {
  code: 'STO-034',
  severity: 'mind',
  about: 'a standby copy has no volumes to keep, or none to keep them in',
  find: (d, view) =>
    (d.standbys ?? []).flatMap((s, i) => {
      const there = view.get('Charter', s.cluster);
      const has = (c: typeof d, name: string) => c.workloads?.some((w) => w.name === name && w.volumes?.length);
      const say = (title: string, text: string) => [at(d, ['standbys', i], { title, text })];
      const what = `The standby copy ${s.workload}`;
      if (s.cluster === d.name) return say(`${what} is of its own cluster`, 'What loses the one loses the other.');
      if (!there) return say(`${what} is of ${s.cluster}, and there is no such cluster`, 'Nothing is kept.');
      for (const [c, name] of [
        [there, s.of],
        [d, s.workload],
      ] as const)
        if (!has(c, name)) return say(`${what}: ${c.name} has no workload ${name} with volumes`, 'Nothing is kept.');
      const { unmatched, small } = standbyVolumes(d, s, there);
      if (unmatched.length)
        return say(`${what} does not have the same volumes as ${s.of} of ${s.cluster}`, `${unmatched.join('; ')}.`);
      const [first] = small;
      return first
        ? say(
            `${first.here.name} is smaller than what it keeps`,
            `It has ${gigabytesText(first.here.sizeGB)}, and ${first.there.name} of ${s.cluster} ${gigabytesText(first.there.sizeGB)}.`,
          )
        : [];
    }),
});
