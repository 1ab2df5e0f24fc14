import { workerCount } from '../../charter/pools.ts';
import { fits } from '../../charter/placement.ts';
import { at, each, planFor, setTo } from '../check.ts';

export const CHT019 = each('Charter', {
  code: 'CHT-019',
  severity: 'mind',
  about: 'one worker carries everything',
  find: (d, view) => {
    return workerCount(d) === 1 && d.workers.count === 1 && d.controlPlane.count > 1
      ? [
          at(d, ['workers', 'count'], {
            title: `${d.name} has one worker`,
            text: 'With it everything that runs there stops, also for an update. Two workers are the least that can stand in for each other.',
            remedy: planFor(view, d).notChosen.some((h) => h.why === fits)
              ? setTo(d, ['workers', 'count'], 2, 'Set 2')
              : { label: 'Show the hosts', act: { kind: 'open', path: `/hosts?site=${d.site}` } },
          }),
        ]
      : [];
  },
});
