import { at, each, setTo } from '../check.ts';

export const CHT019 = each('Charter', {
  code: 'CHT-019',
  severity: 'mind',
  about: 'one worker carries everything',
  find: (d) => {
    return d.workers.count === 1 && d.controlPlane.count > 1
      ? [
          at(d, ['workers', 'count'], {
            title: `${d.name} has one worker`,
            text: 'With it everything that runs there stops, also for an update. Two workers are the least that can stand in for each other.',
            remedy: setTo(d, ['workers', 'count'], 2, 'Set 2'),
          }),
        ]
      : [];
  },
});
