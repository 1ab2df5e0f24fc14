import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { type Charter, type Estate, type Host, kinds } from '../model/index.ts';
import { between, changeDue, type Requested } from './index.ts';
import { groupsOf, workersAtOnce } from './side-by-side.ts';

/** plover with so many workers of 32 cores and 128 GiB, all of them serving; what pods can use of each: 31 cores, 125.9 GiB. */
function standing(workers: number, more: Partial<Charter> = {}): Estate {
  const e = goodEstate();
  const like = e.hosts.find((h) => h.name === 'lr-04') as Host;
  const names = Array.from({ length: workers }, (_, n) => `w-${String(n + 1).padStart(2, '0')}`);
  e.hosts = [
    ...e.hosts.filter((h) => h.name <= 'lr-03'),
    ...names.map((name, n) => ({ ...like, name, zone: 'ABC'[n % 3] as string, nics: undefined }) as Host),
  ];
  e.charters = [
    kinds.Charter.parse({ ...(e.charters[0] as Charter), workers: { count: workers, hosts: names }, ...more }) as Charter,
  ];
  const plan = resolve(e.charters[0] as Charter, e);
  const roles = new Map(plan.nodes.map((n) => [n.host, n.role]));
  e.hosts = e.hosts.map((h) => {
    const role = roles.get(h.name);
    return role ? ({ ...h, state: 'serving', held: { charter: 'plover', role } } as Host) : h;
  });
  return e;
}
const of = (e: Estate, requested?: Requested) => between(resolve(e.charters[0] as Charter, e), e, { requested });
const asks = (cores: number, memoryGiB = 0, pods = 1): Requested => ({ cores, memoryGiB, pods });

describe('workers away at once', () => {
  it.each<[string, number, Requested | undefined, Partial<Charter>, number, string]>([
    ['nobody knows what runs', 8, undefined, {}, 1, 'not known'],
    ['nobody knows, and somebody has set it', 8, undefined, { workersAtOnce: 3 }, 3, 'as it is set'],
    // 8 × 31 = 248. Three away and one lost: 248 − 4 × 31 = 124 ≥ 100. Four and one: 93.
    ['as many as leave room, and one more may be lost', 8, asks(100), {}, 3, '1 pod runs, asking for 100 cores'],
    ['exactly enough: 124', 8, asks(124), {}, 3, '124 cores'],
    ['a little too much: 124.1', 8, asks(124.1), {}, 2, '124.1 cores'],
    ['no room for one more to be lost: one all the same', 8, asks(200), {}, 1, 'asking for 200 cores'],
    ['more than there is', 2, asks(80), {}, 1, 'there is no room for more'],
    // 8 × 125.9 = 1007.2 GiB; two away and one lost leave 5 × 125.9 = 629.5.
    ['memory is scarcer than cores', 8, asks(10, 629), {}, 2, '629 GiB'],
    // 110 a node: two away and one lost leave 5 × 110 = 550.
    ['pods that ask for nothing need a node all the same', 8, asks(0, 0, 550), {}, 2, '550 pods run'],
    ['one at least must be left', 3, asks(0), {}, 1, '1 pod runs'],
    ['never more than is set', 8, asks(10), { workersAtOnce: 2 }, 2, 'as it is set'],
    // Of three copies two must stay: (3 − 1) / 2 = 1.
    [
      'copies of volumes on any hosts',
      8,
      asks(10),
      { storage: [{ name: 'fast', kind: 'copies', copies: 3, apart: 'host', reclaim: 'keep' }] },
      1,
      'volumes of fast have 3 copies',
    ],
    [
      'copies in zones of their own',
      8,
      asks(10),
      { storage: [{ name: 'fast', kind: 'copies', copies: 3, apart: 'zone', reclaim: 'keep' }] },
      6,
      'asking for 10 cores',
    ],
  ])('%s', (_, workers, requested, more, most, why) => {
    const found = workersAtOnce(of(standing(workers, more), requested));
    expect(found.most).toBe(most);
    expect(found.why).toContain(why);
  });
  it('leave room for what runs, whatever is asked for', () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 9 }), fc.integer({ min: 1, max: 260 }), (workers, cores) => {
        const { most } = workersAtOnce(of(standing(workers), asks(cores)));
        // One is always taken: somebody has begun it. More than one leave room, and for one more lost.
        if (most > 1) expect(31 * (workers - most - 1)).toBeGreaterThanOrEqual(cores);
        expect(31 * (workers - most - 2)).toBeLessThan(Math.max(cores, 1));
      }),
      { numRuns: 40 },
    );
  });
});

describe('groups', () => {
  const worker = (name: string, zone: string) => ({ name, zone });
  it('are the first alone, then one zone after the other', () => {
    const list = ['a1 A', 'b1 B', 'a2 A', 'b2 B', 'a3 A', 'a4 A'].map((x) => worker(x.slice(0, 2), x.slice(3)));
    expect(groupsOf(list, 2).map((g) => g.map((w) => w.name).join(' '))).toEqual(['a1', 'a2 a3', 'a4', 'b1 b2']);
    expect(groupsOf([], 2)).toEqual([]);
  });
  it('have everybody once, no two zones in one, and none larger than may be', () => {
    fc.assert(
      fc.property(fc.array(fc.constantFrom('A', 'B', 'C')), fc.integer({ min: 1, max: 5 }), (zones, most) => {
        const groups = groupsOf(
          zones.map((z, n) => worker(`w${n}`, z)),
          most,
        );
        expect(
          groups
            .flat()
            .map((w) => w.name)
            .sort(),
        ).toEqual(zones.map((_, n) => `w${n}`).sort());
        for (const g of groups) expect([new Set(g.map((w) => w.zone)).size, g.length <= most]).toEqual([1, true]);
        expect(groups[0]?.length ?? 1).toBe(1);
      }),
    );
  });
});

describe('an upgrade of eight workers', () => {
  const behind = (more: Partial<Charter> = {}) => {
    const e = standing(8, more);
    const [now] = e.releases;
    if (now) e.releases = [...e.releases, { ...now, name: '1.33.6', version: '1.33.6' }];
    e.hosts = e.hosts.map((h) => (h.held ? { ...h, held: { ...h.held, release: '1.33.6' } } : h));
    return e;
  };
  const due = (e: Estate, requested?: Requested) =>
    changeDue(resolve(e.charters[0] as Charter, e), e, undefined, {
      files: new Map(),
      manifests: [],
      certificates: new Map(),
      requested,
    });

  it('takes the first alone, then the zones in groups; each group waits for all of the one before', () => {
    const plan = due(behind(), asks(100));
    const drains = plan?.steps.filter((s) => s.kind === 'drain' && s.host?.startsWith('w-')) ?? [];
    // Zone A: w-01, w-04, w-07; B: w-02, w-05, w-08; C: w-03, w-06.
    expect(drains.map((s) => [s.host, ...s.after.map((a) => a.replace('/join', ''))].join(' '))).toEqual([
      'w-01 pod-network',
      'w-04 w-01',
      'w-07 w-01',
      'w-02 w-04 w-07',
      'w-05 w-04 w-07',
      'w-08 w-04 w-07',
      'w-03 w-02 w-05 w-08',
      'w-06 w-02 w-05 w-08',
    ]);
    // 248; one away: 217; two: 186; three: 155; two: 186.
    expect(plan?.capacity.map((p) => p.cores)).toEqual([248, 217, 186, 155, 186, 248]);
    expect(plan?.rows.find((r) => r.what === 'Workers away at once')).toMatchObject({
      after: 'up to 3, the first alone',
      field: 'workersAtOnce',
    });
  });
  it('takes one after the other where nobody knows what runs', () => {
    const plan = due(behind());
    expect(Math.min(...(plan?.capacity.map((p) => p.cores) ?? []))).toBe(217);
    expect(plan?.rows.find((r) => r.what === 'Workers away at once')?.after).toBe('one after the other');
  });
});

it('hosts do not leave where what runs would find no room', () => {
  const e = standing(3);
  const charter = { ...(e.charters[0] as Charter), workers: { count: 2, hosts: ['w-01', 'w-02'] } } as Charter;
  const after = { ...e, charters: [charter] };
  const due = (requested: Requested) =>
    changeDue(resolve(charter, after), after, undefined, { files: new Map(), manifests: [], certificates: new Map(), requested });
  expect([due(asks(62))?.kind, due(asks(62))?.refused]).toEqual(['remove-hosts', []]);
  // Two workers are left: 2 × 31 = 62 cores and 2 × 125.9 = 251.8 GiB.
  expect(due(asks(70, 600))?.refused).toEqual([
    'what runs needs 70 cores, and 62 cores would be left: scale it down first, or keep more hosts',
    'what runs needs 600 GiB, and 251.8 GiB would be left: scale it down first, or keep more hosts',
  ]);
});
