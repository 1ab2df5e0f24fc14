import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { applyEdits, type Charter, type Estate, kinds } from '../model/index.ts';
import { absencesOf } from './absences.ts';
import { caseTitle, casesOf, inCommon, rehearseAll, type Verdict, verdictOf } from './cases.ts';
import { placeCopies, placePods } from './place.ts';
import { roomForVolumes } from '../charter/aspects/storage.ts';
import { type Room, type RoomHost, type RoomVolume, type RoomWork, roomOf } from './room.ts';
import { rowsOf, serviceRows } from './rows.ts';
import { simulate, type WorkOutcome } from './simulate.ts';
import { whatMatters } from './what-matters.ts';

/** Times of these rooms, in ms: a host counts as lost after 50 s, pods wait 300 s more, volumes are freed 360 s after that, and attached in 10 s. */
const grace = 50_000;
const tolerate = 300_000;
const detach = 360_000;
const attach = 10_000;
const ready = 20_000;

type Work = Partial<Omit<RoomWork, 'pods'>> & { at: number[]; volumes?: number[][] };
/** A room with workers and three members of etcd beside them: hosts 0 to n − 1 run pods, the last three decide. */
function room(workers: number, works: Work[], volumes: Partial<RoomVolume>[] = [], more: Partial<Room> = {}): Room {
  const host = (name: string, runs: boolean, i: number): RoomHost => ({
    name,
    role: runs ? 'worker' : 'control-plane',
    rack: `R${1 + (i % 2)}`,
    zone: 'ABC'[i % 3] as string,
    feed: undefined,
    cores: 8,
    memoryGiB: 32,
    volumesGB: runs ? 1000 : 0,
    runs,
  });
  const hosts = [
    ...Array.from({ length: workers }, (_, i) => host(`w${i}`, true, i)),
    ...Array.from({ length: 3 }, (_, i) => host(`m${i}`, false, i)),
  ];
  const out: Room = {
    charter: 'plover',
    hosts,
    works: [],
    pods: [],
    volumes: volumes.map((v, i) => ({
      name: `v${i}`,
      work: 0,
      sizeGB: 10,
      kind: 'copies',
      copies: [],
      apart: 'host',
      oneNode: true,
      attach,
      // A minute after the host counts as lost, at 1 Gbit/s: 8 s a GB.
      rebuild: { after: 60_000, msPerGB: 8000 },
      ...v,
    })),
    addresses: [],
    members: [workers, workers + 1, workers + 2],
    majority: 2,
    stores: hosts.flatMap((h, i) => (h.volumesGB ? [i] : [])),
    grace,
    election: 2000,
    detach,
    ...more,
  };
  for (const [work, { at, volumes: of, ...w }] of works.entries())
    out.works.push({
      name: `work${work}`,
      namespace: 'default',
      kind: 'Deployment',
      apart: undefined,
      always: false,
      cores: 1,
      memoryGiB: 1,
      ready,
      tolerate,
      mayBeAway: undefined,
      ...w,
      pods: at.map((h, k) => out.pods.push({ work, host: h, volumes: of?.[k] ?? [] }) - 1),
    });
  return out;
}
const lose = (r: Room, ...hosts: number[]) => simulate(r, [{ at: 0, hosts }]);
const of = (r: Room, work: number, ...hosts: number[]) => lose(r, ...hosts).works.find((w) => w.work === work) as WorkOutcome;

describe('a workload whose host dies', () => {
  it('of one replica is away until it is moved and ready: 50 + 300 + 20 s', () => {
    const w = of(room(2, [{ at: [0] }]), 0, 0);
    expect(w.away).toEqual([{ from: 0, to: 50_000 + 300_000 + 20_000 }]);
    expect([w.longest, w.movedTo, w.stuck]).toEqual([370_000, [1], []]);
  });
  it('waits for its own time: 50 + 30 + 20 s', () => {
    expect(of(room(2, [{ at: [0], tolerate: 30_000 }]), 0, 0).longest).toBe(100_000);
  });
  it('of two replicas on two hosts is never away, and has one less until 370 s', () => {
    const w = of(room(3, [{ at: [0, 1] }]), 0, 0);
    expect([w.away, w.longest]).toEqual([[], 0]);
    expect(w.ready).toEqual([
      { from: 0, pods: 1 },
      { from: 370_000, pods: 2 },
    ]);
  });
  it('of two replicas on that one host is away as one is', () => {
    expect(of(room(2, [{ at: [0, 0] }]), 0, 0).longest).toBe(370_000);
  });
  it('with a volume of one node waits until that is freed and attached: 50 + 300 + 360 + 10 + 20 s', () => {
    const r = room(3, [{ at: [0], volumes: [[0]] }], [{ copies: [0, 1] }]);
    expect(of(r, 0, 0).longest).toBe(50_000 + 300_000 + 360_000 + 10_000 + 20_000);
  });
  it('with a volume that many nodes use waits for none: 50 + 300 + 10 + 20 s', () => {
    expect(of(room(3, [{ at: [0], volumes: [[0]] }], [{ copies: [0, 1], oneNode: false }]), 0, 0).longest).toBe(380_000);
  });
  it('with two volumes waits for the slower one: 50 + 300 + 360 + 25 + 20 s', () => {
    const r = room(3, [{ at: [0], volumes: [[0, 1]] }], [{ copies: [0, 1] }, { copies: [0, 2], attach: 25_000 }]);
    expect(of(r, 0, 0).longest).toBe(755_000);
  });
  it('with a local volume never comes back by itself', () => {
    const w = of(room(2, [{ at: [0], volumes: [[0]] }], [{ kind: 'local', copies: [0] }]), 0, 0);
    expect([w.longest, w.away, w.stuck]).toEqual([undefined, [{ from: 0, to: undefined }], ['its volume lies on w0 alone']]);
  });
  it('of a StatefulSet never comes back by itself: its pod counts as running there', () => {
    const w = of(room(2, [{ at: [0], kind: 'StatefulSet' }]), 0, 0);
    expect(w.longest).toBeUndefined();
    expect(w.stuck[0]).toContain('counts as running on w0');
  });
  it('finds no place where nobody has room, and is one that is homeless', () => {
    const r = room(2, [
      { at: [0], cores: 6 },
      { at: [1], cores: 6 },
    ]);
    const o = lose(r, 0);
    expect([o.homeless, o.works[0]?.stuck, o.works[0]?.longest]).toEqual([1, ['no host has room for it'], undefined]);
    // Of 8 cores 6 are used, and 6 more are asked for.
    expect(o.coresLeft).toBe(8 - 6 - 6);
  });
  it('waits rather than share a host with its sibling, where it always does', () => {
    const r = room(2, [{ at: [0, 1], apart: 'host', always: true }]);
    expect(of(r, 0, 0).stuck).toEqual(['no host has room for it']);
    expect(of(room(2, [{ at: [0, 1], apart: 'host' }]), 0, 0).movedTo).toEqual([1]);
  });
  it('does not miss a host that it was not on', () => expect(lose(room(2, [{ at: [0] }]), 1).works).toEqual([]));
});

describe('a host that comes back', () => {
  const back = (r: Room, at: number) => simulate(r, [{ at: 0, hosts: [0], back: at }]).works[0] as WorkOutcome;
  it('before it is noticed has its pods after they have started: 30 + 20 s', () => {
    expect(back(room(2, [{ at: [0] }]), 30_000).longest).toBe(50_000);
  });
  it('before they were moved, too: 340 + 20 s', () => {
    const w = back(room(2, [{ at: [0] }]), 340_000);
    expect([w.longest, w.movedTo]).toEqual([360_000, []]);
  });
  it('after they were moved does not have them again', () => {
    expect(back(room(2, [{ at: [0] }]), 355_000)).toMatchObject({ longest: 370_000, movedTo: [1] });
  });
  it('brings back what waited for it: its local volume, the pod of a StatefulSet', () => {
    expect(back(room(2, [{ at: [0], volumes: [[0]] }], [{ kind: 'local', copies: [0] }]), 900_000)).toMatchObject({
      longest: 920_000,
      stuck: [],
    });
    expect(back(room(2, [{ at: [0], kind: 'StatefulSet' }]), 900_000)).toMatchObject({ longest: 920_000, stuck: [] });
  });
});

describe('a host that is taken out of use', () => {
  const out = (r: Room, host = 0, back?: number) => simulate(r, [{ at: 0, hosts: [host], drained: true, back }]).works[0];
  it('has its pod elsewhere as soon as that is attached and ready: 10 + 20 s, and not after six minutes', () => {
    expect(out(room(2, [{ at: [0], volumes: [[0]] }], [{ copies: [0, 1] }]))).toMatchObject({
      longest: attach + ready,
      movedTo: [1],
    });
    expect(out(room(2, [{ at: [0] }]))?.longest).toBe(ready);
  });
  it('gives the pod of a StatefulSet away, too: it has ended', () => {
    expect(out(room(2, [{ at: [0], kind: 'StatefulSet' }]))).toMatchObject({ longest: ready, stuck: [] });
  });
  it('keeps what has a local volume until it is back: 600 + 20 s', () => {
    const local = room(2, [{ at: [0], volumes: [[0]] }], [{ kind: 'local', copies: [0] }]);
    expect(out(local)).toMatchObject({ longest: undefined, stuck: ['its volume lies on w0 alone'] });
    expect(out(local, 0, 600_000)?.longest).toBe(600_000 + ready);
  });
  it('makes room for nothing that is not there', () => {
    const full = room(2, [
      { at: [0], cores: 5 },
      { at: [1], cores: 5 },
    ]);
    expect(simulate(full, [{ at: 0, hosts: [0], drained: true }]).homeless).toBe(1);
  });
  it('evicts nobody where nobody decides: its pods are lost with it', () => {
    const r = room(2, [{ at: [0] }]);
    const o = simulate(r, [
      { at: 0, hosts: [2, 3] },
      { at: 1000, hosts: [0], drained: true },
    ]);
    expect(o.works[0]).toMatchObject({ longest: undefined, away: [{ from: 1000, to: undefined }] });
  });
});

describe('one loss after another', () => {
  it('counts as one that goes on where the first has not ended: the pod that was to be ready at 370 s loses its next host at 365 s', () => {
    const r = room(3, [{ at: [0] }]);
    const first = simulate(r, [{ at: 0, hosts: [0] }]).works[0];
    const next = first?.movedTo[0] as number;
    // From 365 s on: 50 + 300 + 20 s.
    expect(
      simulate(r, [
        { at: 0, hosts: [0] },
        { at: 365_000, hosts: [next] },
      ]).works[0]?.longest,
    ).toBe(365_000 + grace + tolerate + ready);
  });
  it('takes the last copy before another was made: 50 + 60 + 80 s are the time in which that must not be', () => {
    const volumes = () => room(3, [], [{ copies: [0, 1] }]);
    const second = (at: number) =>
      simulate(volumes(), [
        { at: 0, hosts: [0] },
        { at, hosts: [1] },
      ]).volumes[0]?.away;
    expect(second(grace + 60_000 + 80_000 - 1)).toMatchObject({ from: grace + 60_000 + 80_000 - 1 });
    expect(second(grace + 60_000 + 80_000 + 1)).toBeUndefined();
  });
});

describe('the registry', () => {
  const with_ = (host: number, more: Work[] = [{ at: [0] }]) =>
    room(3, more, [], {
      registry: { name: 'lr-registry', host },
      services: [{ name: 'registry lr-registry', pulls: true, gives: 'images' }],
    });
  it('that is away keeps a pod from starting where it never ran, until it is back', () => {
    // Moved at 350 s; the registry is back at 1,000 s, and the pod ready 20 s later.
    const o = simulate(with_(-1), [
      { at: 0, hosts: [0] },
      { at: 0, hosts: [], registry: true, back: 1_000_000 },
    ]).works[0];
    expect(o?.longest).toBe(1_000_000 + ready);
    expect(simulate(with_(-1), [{ at: 0, hosts: [0], registry: true }]).works[0]).toMatchObject({
      longest: undefined,
      stuck: [expect.stringMatching(/^its image cannot be pulled on w[12]: lr-registry is away$/)],
    });
  });
  it('is not missed where a sibling has run', () => {
    const r = room(2, [{ at: [0, 1] }], [], { registry: { name: 'lr-registry', host: -1 } });
    expect(simulate(r, [{ at: 0, hosts: [0], registry: true }]).works[0]).toMatchObject({ movedTo: [1], stuck: [] });
  });
  it('is lost with the host that it runs on', () => {
    expect(simulate(with_(0), [{ at: 0, hosts: [0] }]).works[0]?.longest).toBeUndefined();
    expect(simulate(with_(1), [{ at: 0, hosts: [0] }]).works[0]?.longest).toBe(grace + tolerate + ready);
  });
  it('has a case of its own, and one that its host is lost in says so', () => {
    const r = with_(1);
    const all = rehearseAll(r);
    const of = (title: string) => all.find((v) => caseTitle(v.case) === title)?.text;
    expect(of('registry lr-registry')).toBe('no image can be pulled: what is started on another host waits');
    expect(of('w1')).toContain('no image can be pulled');
    expect(of('w2')).toBe('holds');
    // Without a host there is nothing to lose.
    expect(casesOf({ ...r, hosts: [] })).toEqual([]);
  });
});

describe('all cases by their longest absence', () => {
  it('counts each once, at the edge with the shorter ones, and apart those that do not mend themselves', () => {
    const cases = rehearseAll(room(3, [{ at: [0] }]));
    const of = (ms: number | undefined, stays: boolean) => ({ ...(cases[0] as Verdict), longest: { what: 'it', ms }, stays });
    const list = absencesOf([
      { ...(cases[0] as Verdict), longest: undefined, stays: false },
      of(60_000, false),
      of(60_001, true),
      of(900_000, false),
      of(900_001, false),
      of(undefined, true),
    ]);
    expect(list.map((a) => [a.label, a.mends, a.stays])).toEqual([
      ['nothing', 1, 0],
      ['up to 1 min', 1, 0],
      ['1 to 5 min', 0, 1],
      ['5 to 15 min', 1, 0],
      ['longer', 1, 0],
      ['until mended', 0, 1],
    ]);
    expect(absencesOf(cases).reduce((sum, a) => sum + a.mends + a.stays, 0)).toBe(cases.length);
  });
});

describe('what hosts share and use', () => {
  it('a switch takes those that hang on it alone', () => {
    const r = room(4, [{ at: [0] }]);
    const hangs = (i: number, ...switches: string[]) => Object.assign(r.hosts[i] as RoomHost, { switches });
    hangs(0, 'sw-1');
    hangs(1, 'sw-1', 'sw-2');
    hangs(2, 'sw-2');
    // Nobody said it of w3 and of the control plane.
    expect(casesOf(r).flatMap((c) => (c.sort === 'switch' ? [[caseTitle(c), ...c.hosts]] : []))).toEqual([
      ['switch sw-1', 0],
      ['switch sw-2', 2],
    ]);
  });
  it('a switch is one that a connected adapter was seen at', () => {
    const e = goodEstate();
    const nic = { name: 'eno1', mac: '52:8a:1c:40:00:01', speedGbit: 25, neighbour: { name: 'sw-1', port: '7' } };
    const facts = e.hosts[0]?.facts;
    if (facts)
      facts.nics = [
        { ...nic, link: true },
        { ...nic, name: 'eno2', mac: '52:8a:1c:40:00:99', link: false, neighbour: { name: 'sw-2', port: '7' } },
      ];
    expect(roomOf(resolve(e.charters[0] as Charter, e)).hosts[0]?.switches).toEqual(['sw-1']);
  });
  const estate = goodEstate();
  const of = (more: Partial<Charter>, e = estate) => {
    const plan = resolve({ ...(e.charters[0] as Charter), ...more } as Charter, e);
    return rehearseAll(roomOf(plan))
      .flatMap((v) => (v.case.sort === 'service' ? [`${caseTitle(v.case)}: ${v.text}`] : []))
      .sort();
  };
  it('a service of the estate: what is missed at once, and what later', () => {
    expect(of({})).toEqual([
      'DNS: no image can be pulled: what is started on another host waits; a node that starts anew does not find the API',
      'registry lr-registry: no image can be pulled: what is started on another host waits',
      // 100 millionths of 86,400 s.
      'time: clocks drift by up to 8.64 s a day',
    ]);
  });
  it('a service over time: names at once, clocks when they have gone 1 s apart, each two hundred millionths of a second in a second', () => {
    const room = roomOf(resolve(estate.charters[0] as Charter, estate));
    const minute = 60_000;
    const over = (name: string, back?: number) =>
      serviceRows(room, [{ at: 0, hosts: [], back, services: [name] }]).map((r) => [
        r.title,
        r.sum,
        r.bad,
        ...r.parts.map((p) => [p.from, p.to, p.is]),
      ]);
    expect(over('DNS', 30 * minute)).toEqual([
      ['names', '30 min', false, [0, 1_800_000, 'away'], [1_800_000, undefined, 'good']],
    ]);
    expect(over('DNS')).toEqual([['names', 'until mended', true, [0, undefined, 'away']]]);
    // 1 s ÷ 0.0002 = 5,000 s: an hour, 23 minutes and 20 seconds.
    expect(over('time', 24 * 60 * minute)).toEqual([
      [
        'clocks',
        '1 s apart after 1 h 23 min',
        false,
        [0, 5_000_000, 'good'],
        [5_000_000, 86_400_000, 'less'],
        [86_400_000, undefined, 'good'],
      ],
    ]);
    expect(over('time', 60 * minute)).toEqual([
      ['clocks', 'never 1 s apart', false, [0, 3_600_000, 'good'], [3_600_000, undefined, 'good']],
    ]);
    expect(over('nothing')).toEqual([]);
  });
  it('the link counts where images come over it; a registry that is known by its address is found without DNS', () => {
    const far = applyEdits(estate, [
      { op: 'set', kind: 'Registry', key: 'lr-registry', path: ['site'], value: 'bw' },
      { op: 'set', kind: 'Registry', key: 'lr-registry', path: ['endpoint'], value: '10.40.8.9:5000' },
    ]);
    expect(of({}, far)).toEqual([
      'DNS: a node that starts anew does not find the API',
      'link to other sites: no image can be pulled: what is started on another host waits',
      'registry lr-registry: no image can be pulled: what is started on another host waits',
      'time: clocks drift by up to 8.64 s a day',
    ]);
  });
});

describe('the control plane', () => {
  it('without a majority moves nothing, until it has one again and hosts are missed anew', () => {
    const r = room(2, [{ at: [0] }]);
    const [m0, m1] = [2, 3];
    const o = lose(r, 0, m0, m1);
    expect(o.quorum).toEqual({ left: 1, lost: { from: 0, to: undefined } });
    expect(o.works[0]).toMatchObject({ longest: undefined, stuck: ['the control plane has no majority: nothing is moved'] });
    // Members are back after 100 s: 100 + 50 + 300 + 20 s.
    const then = simulate(r, [
      { at: 0, hosts: [0] },
      { at: 0, hosts: [m0, m1], back: 100_000 },
    ]);
    expect([then.works[0]?.longest, then.quorum.lost]).toEqual([470_000, { from: 0, to: 100_000 }]);
  });
  it('that loses it before pods have moved moves none; they wait once more from when it has it again', () => {
    const r = room(2, [{ at: [0] }]);
    const after = (back?: number) =>
      simulate(r, [
        { at: 0, hosts: [0] },
        { at: 100_000, hosts: [2, 3], back },
      ]).works[0];
    expect(after()).toMatchObject({
      longest: undefined,
      movedTo: [],
      stuck: ['the control plane has no majority: nothing is moved'],
    });
    // It has none at 350 s, when the pod was to be moved: 400 + 50 + 300 + 20 s.
    expect(after(400_000)).toMatchObject({ longest: 400_000 + 50_000 + 300_000 + 20_000, movedTo: [1] });
  });
  it('with one member lost decides on', () => {
    expect(lose(room(2, [{ at: [0] }]), 0, 2)).toMatchObject({ quorum: { left: 2, lost: undefined }, noticed: 50_000 });
  });
});

describe('a volume', () => {
  const kept = (copies: number[], more: Partial<RoomVolume> = {}) => room(4, [], [{ copies, ...more }]);
  it('with a copy less has one made anew: 50 + 60 s, and 10 GB at 8 s each', () => {
    expect(lose(kept([0, 1]), 0).volumes).toEqual([
      { volume: 0, least: 1, degraded: { from: 0, to: 50_000 + 60_000 + 10 * 8000 }, away: undefined, why: '' },
    ]);
  });
  it('after another on the same host: it takes in one after the other', () => {
    // Only w2 is left to take them: w0 is lost, w1 has the other copy, w3 has no room.
    const r = room(4, [], [{ copies: [0, 1] }, { copies: [0, 1], sizeGB: 20 }]);
    (r.hosts[3] as RoomHost).volumesGB = 1;
    const ends = lose(r, 0).volumes.map((v) => v.degraded.to);
    expect(ends).toEqual([190_000, 190_000 + 160_000]);
  });
  it('stays with a copy less where no further place has room', () => {
    const o = lose(kept([0, 1], { apart: 'rack' }), 0).volumes[0];
    // w1 and w3 stand in R2, with the copy that is left; w2 stands in R1.
    expect(o?.degraded.to).toBe(190_000);
    expect(lose(kept([0, 1, 2], { apart: 'zone' }), 0).volumes[0]?.why).toBe('');
    const none = lose(room(2, [], [{ copies: [0, 1] }]), 0).volumes[0];
    expect([none?.degraded.to, none?.why]).toEqual([undefined, 'no further host has room for a copy']);
  });
  it('of which no copy is left takes what uses it along, and is there again with its host', () => {
    const r = room(4, [{ at: [2], volumes: [[0]] }], [{ copies: [0, 1] }]);
    const o = lose(r, 0, 1);
    expect(o.volumes[0]?.away).toEqual({ from: 0, to: undefined });
    expect(o.works[0]).toMatchObject({ longest: undefined, stuck: ['no copy of its volume is left: w0, w1'] });
    const then = simulate(r, [{ at: 0, hosts: [0, 1], back: 600_000 }]);
    expect([then.volumes[0]?.away, then.works[0]?.longest]).toEqual([{ from: 0, to: 600_000 }, 620_000]);
  });
  it('of NFS is not the business of hosts', () => {
    expect(lose(room(2, [{ at: [0], volumes: [[0]] }], [{ kind: 'nfs', copies: [], oneNode: false }]), 0)).toMatchObject({
      volumes: [],
      works: [{ longest: 380_000 }],
    });
  });
});

describe('an address', () => {
  const at = (by: 'arp' | 'bgp' | 'vrrp', hosts: number[], over: number) =>
    room(2, [], [], { addresses: [{ name: 'a', address: '10.62.8.66', by, hosts, over }] });
  const away = (r: Room, ...hosts: number[]) => lose(r, ...hosts).addresses.map((a) => [a.longest, a.by]);
  it('by ARP is away until another answers, and only where the one that did is lost', () => {
    expect(away(at('arp', [0, 1], 62_000), 0)).toEqual([[62_000, 1]]);
    expect(away(at('arp', [0, 1], 62_000), 1)).toEqual([]);
    expect(away(at('arp', [0, 1], 62_000), 0, 1)).toEqual([[undefined, -1]]);
  });
  it('by BGP loses a share of its connections with any of its nodes', () => {
    expect(away(at('bgp', [0, 1], 91_000), 1)).toEqual([[91_000, 0]]);
  });
  it('of the API waits for VRRP, or for another leader of etcd, whichever takes longer', () => {
    expect(away(at('vrrp', [2, 3, 4], 3609), 2)).toEqual([[3609, 3]]);
    // Who has the address stays; the leader of etcd may be the one that is lost.
    expect(away(at('vrrp', [2, 3, 4], 3609), 3)).toEqual([[2000, 2]]);
    expect(away(at('vrrp', [2, 3, 4], 3609), 2, 3)).toEqual([[undefined, -1]]);
  });
});

describe('what is placed', () => {
  it('shares a host only where none is left that it need not share, however much room that has', () => {
    const r = room(2, [{ at: [-1, -1, -1], apart: 'host' }]);
    // Twice the cores of the other.
    (r.hosts[0] as RoomHost).cores = 16;
    placePods(r);
    // The second goes where less is free, and nothing is shared; the third has to share: where most is free.
    expect(r.pods.map((p) => p.host)).toEqual([0, 1, 0]);
  });
  it('spreads pods over hosts, and keeps apart what is to be', () => {
    const r = room(3, [
      { at: [-1, -1, -1], apart: 'host' },
      { at: [-1, -1, -1, -1], apart: 'host', always: true },
    ]);
    placePods(r);
    const hosts = (w: number) => (r.works[w]?.pods ?? []).map((p) => r.pods[p]?.host);
    expect([...hosts(0)].sort()).toEqual([0, 1, 2]);
    // A fourth has no host of its own.
    expect([...hosts(1)].sort()).toEqual([-1, 0, 1, 2]);
  });
  it('shares a rack where it may and must, as few times as can be, and never a host: property', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9 }),
        fc.integer({ min: 1, max: 5 }),
        fc.array(fc.integer({ min: 1, max: 20 }), { minLength: 1, maxLength: 30 }),
        (workers, n, sizes) => {
          const copies = Array.from({ length: n }, () => -1);
          const r = room(
            workers,
            [],
            // Of many sizes: the host with the most room is often in a rack that has a copy already.
            sizes.map((sizeGB) => ({ sizeGB, apart: 'rack' as const, mayShare: true, copies: [...copies] })),
          );
          placeCopies(r);
          const racks = new Set(r.stores.map((h) => r.hosts[h]?.rack)).size;
          for (const v of r.volumes) {
            const at = v.copies.filter((h) => h >= 0);
            expect(new Set(at).size).toBe(Math.min(n, workers));
            expect(at.length).toBe(Math.min(n, workers));
            expect(new Set(at.map((h) => r.hosts[h]?.rack)).size).toBe(Math.min(n, racks));
          }
        },
      ),
    );
  });
  it('never puts two copies where they must not be, and fills hosts alike: property', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 3, max: 12 }),
        fc.constantFrom('host' as const, 'rack' as const, 'zone' as const),
        fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 1, maxLength: 60 }),
        (workers, apart, sizes) => {
          const r = room(
            workers,
            [],
            sizes.map((sizeGB) => ({ sizeGB, apart, copies: [-1, -1, -1] })),
          );
          placeCopies(r);
          for (const v of r.volumes) {
            const places = v.copies.filter((h) => h >= 0).map((h) => (apart === 'host' ? h : r.hosts[h]?.[apart]));
            expect(new Set(places).size).toBe(places.length);
          }
        },
      ),
    );
  });
  it('has room on the disks that the kit leaves alone, else on half of that of the containers', () => {
    const node = resolve(goodEstate().charters[0] as Charter, goodEstate()).nodes.find((n) => n.role === 'worker');
    if (!node) throw new Error('no worker');
    // 480 for the system, 1,920 for the containers.
    expect(roomForVolumes(node)).toBe(960);
    const facts = {
      ...node.facts,
      disks: [...node.facts.disks, { bay: 'bay 3', sizeGB: 900, media: 'nvme' as const, serial: 'X3' }],
    };
    expect(roomForVolumes({ ...node, facts })).toBe(900);
  });
});

const charter = (more: object): Estate => {
  const e = goodEstate();
  return { ...e, charters: [kinds.Charter.parse({ ...e.charters[0], ...more }) as Charter] };
};
describe('a charter', () => {
  const e = charter({
    storage: [{ name: 'fast', kind: 'copies', standard: true }],
    workloads: [
      { name: 'radar-archive', volumes: [{ name: 'data', sizeGB: 40 }], mayBeAway: 300 },
      { name: 'berth-planner', replicas: 2, apart: 'host' },
      { name: 'plotter' },
    ],
  });
  const plan = resolve(e.charters[0] as Charter, e);
  const own = roomOf(plan);
  it('is a room: its workers, its copies, its timers', () => {
    expect(own.hosts.filter((h) => h.runs).length).toBe(plan.nodes.filter((n) => n.role === 'worker').length);
    expect([own.grace, own.majority, own.volumes[0]?.copies.length]).toEqual([50_000, 2, plan.storage[0]?.copies]);
  });
  it('has every loss of one and of two, and of what they share', () => {
    const n = own.hosts.length;
    const count = (sort: string) => casesOf(own).filter((c) => c.sort === sort).length;
    expect([count('host'), count('two'), count('site')]).toEqual([n, (n * (n - 1)) / 2, 1]);
    // All stand in one rack, which is everything; zones are three.
    expect([count('rack'), count('zone')]).toEqual([0, new Set(own.hosts.map((h) => h.zone)).size]);
  });
  it('tells cases apart that have one name', () => {
    const r = room(3, []);
    for (const h of r.hosts) h.feed = h.zone;
    const titles = casesOf(r).map(caseTitle);
    expect(new Set(titles).size).toBe(titles.length);
    expect(titles).toEqual(expect.arrayContaining(['zone A', 'feed A', 'rack R1']));
  });
  it('of a large cluster has any two of the hundred hosts that decide or have most on them', () => {
    // w119 has more than any other; of 123 hosts 23 are lost alone.
    const large = room(120, [{ at: new Array<number>(9).fill(119) }]);
    const two = casesOf(large).filter((c) => c.sort === 'two');
    expect(two).toHaveLength((100 * 99) / 2);
    for (const h of [119, 120, 121, 122]) expect(two.some((c) => c.hosts.includes(h))).toBe(true);
    expect(casesOf(large).filter((c) => c.sort === 'host')).toHaveLength(123);
  });
  it('tells the worst case first, and what is accepted and not kept', () => {
    const all = rehearseAll(own);
    expect(all[0]).toMatchObject({ case: { sort: 'site' }, quorum: { left: 0 }, stays: true });
    const at = own.pods[own.works[0]?.pods[0] ?? 0]?.host as number;
    const alone = verdictOf(own, { sort: 'host', name: own.hosts[at]?.name ?? '', hosts: [at] });
    // 50 + 300 + 360 + 10 + 10 s, and 300 are accepted.
    expect(alone).toMatchObject({ longest: { what: 'radar-archive', ms: 730_000 }, over: ['radar-archive'], lost: [] });
    expect(alone.text).toContain('radar-archive away for longer than accepted');
    expect(inCommon(own, all)[0]?.share).toBeGreaterThan(0.3);
  });
  it('is told in lines', () => {
    const at = own.pods[own.works[0]?.pods[0] ?? 0]?.host as number;
    const rows = rowsOf(own, lose(own, at));
    expect(rows[0]).toMatchObject({ title: 'control plane', parts: [{ to: 50_000, text: 'not noticed' }, { from: 50_000 }] });
    expect(rows.find((r) => r.title === 'radar-archive')).toMatchObject({ sum: '12 min 10 s', bad: true });
    expect(rows.at(-1)).toMatchObject({ title: 'data', sum: 'none lost' });
    // What does not come back says why, in its own line.
    const set = { ...own, works: own.works.map((w) => ({ ...w, kind: 'StatefulSet' as const })) };
    const stuck = rowsOf(set, lose(set, at)).find((r) => r.title === 'radar-archive');
    expect([stuck?.sum, stuck?.parts.at(-1)?.text]).toEqual([
      'until mended',
      `0 of 1: its pod counts as running on ${own.hosts[at]?.name} until that is back, or its pod is removed by hand`,
    ]);
  });
  it('is told what matters most: each change is rehearsed', () => {
    const [best, ...others] = whatMatters(plan, e);
    expect(best?.after.sum).toBeLessThan(best?.before.sum ?? 0);
    // 270 s sooner wherever a pod is moved.
    const sooner = [best, ...others].find((t) => t?.label.startsWith('Move pods after 30 s'));
    expect((sooner?.before.longest ?? 0) - (sooner?.after.longest ?? 0)).toBe(270_000);
  });
});

describe('whatever is lost', () => {
  it('counts agree: what is away was ready before, nothing is ready on a host that is down, the same loss is the same outcome', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 6 }),
        fc.array(fc.record({ replicas: fc.integer({ min: 1, max: 3 }), set: fc.boolean(), volume: fc.boolean() }), {
          maxLength: 5,
        }),
        fc.array(fc.record({ at: fc.nat(500_000), host: fc.nat(8), back: fc.option(fc.nat(2_000_000), { nil: undefined }) }), {
          maxLength: 5,
        }),
        (workers, works, lost) => {
          const r = room(
            workers,
            works.map((w, i) => ({
              at: new Array<number>(w.replicas).fill(-1),
              kind: w.set ? ('StatefulSet' as const) : ('Deployment' as const),
              volumes: new Array<number[]>(w.replicas).fill(w.volume ? [i] : []),
            })),
            works.map(() => ({ copies: [-1, -1] })),
          );
          placePods(r);
          placeCopies(r);
          const losses = lost.map((l) => ({ at: l.at, hosts: [l.host % r.hosts.length], back: l.back }));
          const o = simulate(r, losses);
          expect(simulate(r, losses)).toEqual(o);
          for (const w of o.works) {
            const pods = r.works[w.work]?.pods.length ?? 0;
            expect(w.ready.every((x) => x.pods >= 0 && x.pods <= pods)).toBe(true);
            expect(w.ready.map((x) => x.from)).toEqual([...w.ready.map((x) => x.from)].sort((a, b) => a - b));
            for (const s of w.away) if (s.to !== undefined) expect(s.to).toBeGreaterThan(s.from);
            // Away at the end: nothing is ready, and it is said why.
            if (w.longest === undefined) expect([w.ready.at(-1)?.pods, w.stuck.length > 0]).toEqual([0, true]);
          }
          for (const v of o.volumes) expect(v.least).toBeLessThanOrEqual(2);
        },
      ),
      { numRuns: 300 },
    );
  });
  it('of one loss that nobody mends, all but the copies that are made anew is told without making them, too: property', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 6 }),
        fc.array(fc.record({ replicas: fc.integer({ min: 1, max: 3 }), set: fc.boolean(), local: fc.boolean() }), {
          maxLength: 6,
        }),
        fc.array(fc.nat(8), { minLength: 1, maxLength: 4 }),
        (workers, works, lost) => {
          const r = room(
            workers,
            works.map((w, i) => ({
              at: new Array<number>(w.replicas).fill(-1),
              kind: w.set ? ('StatefulSet' as const) : ('Deployment' as const),
              volumes: new Array<number[]>(w.replicas).fill([i]),
            })),
            works.map((w) => ({ kind: w.local ? ('local' as const) : ('copies' as const), copies: w.local ? [-1] : [-1, -1] })),
          );
          placePods(r);
          placeCopies(r);
          const losses = [{ at: 0, hosts: lost.map((h) => h % r.hosts.length) }];
          const [whole, short] = [simulate(r, losses), simulate(r, losses, false)];
          const away = (o: typeof whole) => o.volumes.filter((v) => v.away).map((v) => [v.volume, v.away]);
          expect({ ...short, volumes: away(short), end: 0 }).toEqual({ ...whole, volumes: away(whole), end: 0 });
        },
      ),
      { numRuns: 300 },
    );
  });
  it('everything is as it was when all hosts come back and nothing was moved', () => {
    const r = room(3, [{ at: [0, 1] }, { at: [2], kind: 'StatefulSet', volumes: [[0]] }], [{ copies: [0, 1] }]);
    const o = simulate(r, [{ at: 0, hosts: [0, 1, 2, 3, 4, 5], back: 600_000 }]);
    expect(o.works.map((w) => w.ready.at(-1)?.pods)).toEqual([2, 1]);
    expect([o.quorum.lost, o.homeless, o.volumes[0]?.away]).toEqual([{ from: 0, to: 600_000 }, 0, { from: 0, to: 600_000 }]);
  });
});
