import { describe, expect, it } from 'vitest';
import { type FoundWork, undeclared } from './found.ts';

const work = (name: string, more: Partial<FoundWork> = {}): FoundWork => ({
  kind: 'Deployment',
  namespace: 'default',
  name,
  replicas: 2,
  cores: 1.5,
  memoryGiB: 4,
  claims: [],
  own: [],
  ...more,
});
const claim = (name: string, bytes: number, namespace = 'default') => ({ namespace, claim: name, class: 'kept', bytes });

describe('what runs and nobody declared', () => {
  it('is what a charter would say of it, with the volumes that follow its name', () => {
    const found = [
      work('index', { claims: ['index-data', 'shared'], tolerate: 30 }),
      work('journal', { kind: 'StatefulSet', replicas: 3, own: ['log', 'gone'] }),
    ];
    // 10 GiB are 10.7 GB: 11.
    const claims = [
      claim('index-data', 10 * 2 ** 30),
      claim('shared', 5e9),
      claim('log-journal-0', 2e9),
      claim('index-data', 7e9, 'other'),
    ];
    expect(undeclared({}, found, claims)).toEqual([
      {
        name: 'index',
        namespace: 'default',
        kind: 'Deployment',
        replicas: 2,
        cores: 1.5,
        memoryGiB: 4,
        ready: 10,
        tolerate: 30,
        volumes: [{ name: 'data', class: 'kept', sizeGB: 11, access: 'one-node' }],
      },
      {
        name: 'journal',
        namespace: 'default',
        kind: 'StatefulSet',
        replicas: 3,
        cores: 1.5,
        memoryGiB: 4,
        ready: 10,
        volumes: [{ name: 'log', class: 'kept', sizeGB: 2, access: 'one-node' }],
      },
    ]);
  });
  it('is not what is declared, has no pods, or has a name that no charter takes; what asks for nothing is given the least', () => {
    const declared = { workloads: [{ name: 'a', namespace: 'default' }] } as never;
    const left = undeclared(
      declared,
      [work('a'), work('a', { namespace: 'other', cores: 0, memoryGiB: 0 }), work('off', { replicas: 0 }), work('Not.A.Label')],
      [],
    );
    expect(left.map((w) => [w.namespace, w.name, w.cores, w.memoryGiB])).toEqual([['other', 'a', 0.01, 0.01]]);
  });
});
