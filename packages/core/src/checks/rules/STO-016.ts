import { secondsText } from '../../words/amounts.ts';
import { at, coverageFor, each } from '../check.ts';

export const STO016 = each('Charter', {
  code: 'STO-016',
  severity: 'mind',
  about: 'more can be lost of a volume than its owner accepts',
  find: (d, view) => {
    if (!d.workloads?.some((w) => w.mayLose !== undefined)) return [];
    return (d.workloads ?? []).flatMap((w, i) => {
      if (w.mayLose === undefined) return [];
      const worst = coverageFor(view, d)
        .filter((v) => v.workload === w.name && v.loses !== undefined)
        .sort((a, b) => (b.loses ?? 0) - (a.loses ?? 0))[0];
      if (!worst?.plan || worst.loses === undefined || worst.loses <= w.mayLose * 1000) return [];
      return [
        at(d, ['workloads', i, 'mayLose'], {
          title: `${w.name} may lose ${secondsText(w.mayLose)}, and can lose ${secondsText(worst.loses / 1000)}`,
          text: `${worst.plan.name} runs at ${worst.plan.at}: the longest time between two${worst.later ? `, and ${secondsText(worst.later / 1000)} until the next one of ${worst.name} is whole` : ''}.`,
        }),
      ];
    });
  },
});
