import { describe, expect, it } from 'vitest';
import { type ProgramTold, runningOf } from './waits.ts';

describe('pods of a program that count', () => {
  const deployment = (status: ProgramTold['status'], generation = 2): ProgramTold => ({
    metadata: { generation },
    spec: { replicas: 3, selector: { matchLabels: { app: 'x' } } },
    ...(status ? { status } : {}),
  });
  it.each<[string, string, ProgramTold, [ready: number, wanted: number]]>([
    ['all of it', 'Deployment', deployment({ observedGeneration: 2, updatedReplicas: 3, readyReplicas: 3 }), [3, 3]],
    // Three old ones run on while the one new one waits: a count of zero is left out.
    [
      'old ones beside a new one that waits',
      'Deployment',
      deployment({ observedGeneration: 2, updatedReplicas: 1, readyReplicas: 3 }),
      [1, 3],
    ],
    ['old ones alone', 'StatefulSet', deployment({ observedGeneration: 2, readyReplicas: 3 }), [0, 3]],
    [
      'what was counted before it was given',
      'Deployment',
      deployment({ observedGeneration: 1, updatedReplicas: 3, readyReplicas: 3 }),
      [0, 3],
    ],
    ['nothing yet', 'Deployment', deployment(undefined), [0, 3]],
    ['none wanted', 'Deployment', { spec: { replicas: 0 }, status: { observedGeneration: 1 } }, [0, 0]],
    [
      'one where nobody says how many',
      'Deployment',
      { status: { observedGeneration: 1, updatedReplicas: 1, readyReplicas: 1 } },
      [1, 1],
    ],
    [
      'on every node, half of them anew',
      'DaemonSet',
      { status: { observedGeneration: 1, desiredNumberScheduled: 4, updatedNumberScheduled: 2, numberReady: 4 } },
      [2, 4],
    ],
    [
      'on every node, changed by hand',
      'DaemonSet',
      {
        spec: { updateStrategy: { type: 'OnDelete' } },
        status: { observedGeneration: 1, desiredNumberScheduled: 4, numberReady: 4 },
      },
      [4, 4],
    ],
  ])('%s', (_, kind, told, [ready, wanted]) => expect(runningOf(kind, told)).toMatchObject({ ready, wanted }));
});
