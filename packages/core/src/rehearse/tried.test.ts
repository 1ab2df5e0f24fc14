import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { applyEdits, type Charter } from '../model/index.ts';
import { expectedCopies, expectedOf, looksUntil, roomAsSeen, roomOf, spanText, triedLine } from './index.ts';

const estate = () =>
  applyEdits(goodEstate(), [
    {
      op: 'set',
      kind: 'Charter',
      key: 'plover',
      path: ['workloads'],
      value: [
        { name: 'archive', ready: 25 },
        { name: 'planner', replicas: 2, apart: 'host', ready: 10 },
        { name: 'journal', kind: 'StatefulSet', ready: 5 },
      ],
    },
  ]);
const room = () => {
  const e = estate();
  return roomOf(resolve(e.charters[0] as Charter, e));
};
const pod = (work: string, host: string, namespace = 'default') => ({ namespace, work, host });

describe('a loss beside what was rehearsed', () => {
  it('begins with pods where they are, whoever was thought to have them', () => {
    const seen = [
      pod('archive', 'lr-05'),
      pod('planner', 'lr-05'),
      pod('planner', 'lr-06'),
      // Of others, and of hosts that are none.
      pod('archive', 'lr-04', 'other'),
      pod('archive', 'elsewhere'),
    ];
    const { room: now, absent } = roomAsSeen(room(), seen);
    const hosts = now.works.map((w) => w.pods.map((p) => now.hosts[now.pods[p]?.host ?? -1]?.name));
    expect([hosts, absent]).toEqual([[['lr-05'], ['lr-05', 'lr-06'], []], ['journal']]);
  });
  it('begins with who answers for an address', () => {
    const r = room();
    const a = { name: 'feed', address: '10.62.8.70', by: 'arp' as const, hosts: [3, 4, 5], over: 50_000 };
    const led = (leads: Record<string, string>) => roomAsSeen({ ...r, addresses: [a] }, [], leads).room.addresses[0]?.hosts;
    expect([led({}), led({ '10.62.8.70': r.hosts[4]?.name ?? '' }), led({ '10.62.8.70': r.hosts[0]?.name ?? '' })]).toEqual([
      [3, 4, 5],
      [4, 3, 5],
      // Who does not announce it has it by mistake.
      [3, 4, 5],
    ]);
  });
  it('has all copies again when what was missed is taken in, or when another host has taken it in', () => {
    const e = applyEdits(estate(), [
      {
        op: 'set',
        kind: 'Charter',
        key: 'plover',
        path: ['storage'],
        value: [{ name: 'kept', kind: 'copies', copies: 2, standard: true }],
      },
      { op: 'set', kind: 'Charter', key: 'plover', path: ['workloads', 0, 'volumes'], value: [{ name: 'data', sizeGB: 50 }] },
    ]);
    const planned = roomOf(resolve(e.charters[0] as Charter, e));
    const { room: now } = roomAsSeen(
      planned,
      [pod('archive', 'lr-05')],
      {},
      { 'archive/data': ['lr-06', 'lr-05'], other: ['lr-04'] },
    );
    const named = (h: string) => now.hosts.findIndex((x) => x.name === h);
    expect(now.volumes[0]?.copies).toEqual([named('lr-06'), named('lr-05')]);
    // Off for 300 s and ready after 400; its programs within a minute; 50 GB at 1 Gbit/s are 400 s; 5 s until somebody looks.
    expect(expectedCopies(now, [named('lr-05')], 300_000, 400_000)).toEqual({
      what: 'copies',
      name: '1 volume',
      text: 'all copies whole again',
      is: { from: 300_000, to: 400_000 + 60_000 + 400_000 + 5000 },
    });
    // Lost after 50 s: 600 s later another host begins to take it in, whatever becomes of this one.
    expect(expectedCopies(now, [named('lr-05')], 3_000_000, 3_100_000)?.is).toEqual({
      from: 650_000,
      to: 650_000 + 400_000 + 5000,
    });
    expect(expectedCopies(now, [named('lr-04')], 300_000, 400_000)).toBeUndefined();
  });
  it('is to come between two times: the longer way, and the shorter one', () => {
    const { room: now } = roomAsSeen(room(), [
      pod('archive', 'lr-05'),
      pod('planner', 'lr-05'),
      pod('planner', 'lr-06'),
      pod('journal', 'lr-05'),
    ]);
    const at = now.hosts.findIndex((h) => h.name === 'lr-05');
    const list = expectedOf({ ...now, addresses: [] }, [at], 40);
    expect(list).toEqual([
      // 50 s of grace; up to a quarter of 40 s before, and up to 5 s until it is looked at.
      { what: 'counted', name: 'lr-05', text: 'counts as lost', is: { from: 40_000, to: 55_000 } },
      // 50 + 300 + 25 s; at the least 40 + 300 s. Looked at 5 s later.
      { what: 'work', name: 'archive', text: 'all pods ready again', is: { from: 340_000, to: 380_000 } },
      { what: 'work', name: 'planner', text: 'all pods ready again', is: { from: 340_000, to: 365_000 } },
      { what: 'work', name: 'journal', text: expect.stringContaining('counts as running on lr-05') },
    ]);
    // The last of them, and a minute; what is late is waited for ten.
    expect(looksUntil(list)).toEqual({ never: 440_000, late: 980_000 });
  });
  it('agrees where both have a moment in common, and where what never comes does not', () => {
    const is = { from: 40_000, to: 55_000 };
    const e = { what: 'counted' as const, name: 'lr-05', text: '', is };
    const agrees = (from: number, to: number) => triedLine(e, { from, to }).agrees;
    expect([agrees(55_000, 57_000), agrees(55_001, 57_000), agrees(38_000, 40_000), agrees(38_000, 39_999)]).toEqual([
      true,
      false,
      true,
      false,
    ]);
    const never = { ...e, is: undefined };
    expect([triedLine(e, undefined), triedLine(never, undefined), triedLine(never, is)].map((l) => l.agrees)).toEqual([
      false,
      true,
      false,
    ]);
  });
  it('is said as people say times', () => {
    expect([
      spanText({ from: 40_000, to: 55_000 }, ''),
      spanText({ from: 0, to: 3609 }, ''),
      spanText(undefined, 'never'),
    ]).toEqual(['40 s to 55 s', 'within 4 s', 'never']);
  });
});
