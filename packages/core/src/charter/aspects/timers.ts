import { secondsText } from '../../words/amounts.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';

/** What is usual, in seconds. */
const usual = { lease: 40, grace: 50, tolerate: 300, stop: 30 } as const;
/** A host that renews less often is waited for longer: five renewals, as is usual of a lease of 40 s. */
const graceFor = (lease: number) => Math.max(usual.grace, Math.ceil((lease / 4) * 5));

/**
 * What happens when a host is lost: it renews its lease four times in `lease` seconds; after `grace` without a sign it counts as lost;
 * `tolerate` later its pods are started elsewhere. A host that is shut down gives its pods `stop` seconds.
 */
export const timers = aspect<Pick<Plan, 'timers'>>({
  name: 'timers',
  compute: ({ charter }) => {
    const lease = charter.timers?.lease ?? usual.lease;
    const t = {
      ...usual,
      grace: graceFor(lease),
      ...Object.fromEntries(Object.entries(charter.timers ?? {}).filter(([, v]) => v !== undefined)),
    };
    return { timers: { ...t, moved: t.grace + t.tolerate } };
  },
  lines: ({ timers: t, nodes }) => [
    {
      id: 'timers',
      section: 2,
      label: 'Host lost',
      // What ran on the only host runs nowhere until it is back.
      text:
        nodes.length === 1
          ? 'nothing runs until it is back: it is the only host'
          : `known after ${secondsText(t.grace)}, its pods elsewhere after ${secondsText(t.moved)}`,
      why: [
        because('lease', { lease: t.lease, every: t.lease / 4 }, ['timers', 'lease']),
        because('grace', { grace: t.grace }, ['timers', 'grace']),
        because('pods move', { grace: t.grace, tolerate: t.tolerate, moved: t.moved }, ['timers', 'tolerate']),
        because('time to stop', { stop: t.stop }, ['timers', 'stop']),
      ],
    },
  ],
});
