import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { type Around, Copies, type CopyHost } from './copies.ts';
import type { KubeObject } from './kinds.ts';
import type { Pod, State } from './pods.ts';

const root = mkdtempSync(join(tmpdir(), 'copies-'));
afterAll(() => rmSync(root, { recursive: true, force: true }));
const lie = '/var/lib/containerd/volumes/copies';
let rooms = 0;

/** Four hosts in two racks with a volume of 1 GB, which takes 8 s at 1 Gbit/s. A host is lost after 40 s, and its copies are made anew 600 s later. */
class Room {
  readonly dir = join(root, String(rooms++));
  readonly copies = new Copies();
  readonly hosts = new Map<string, CopyHost>();
  now = 0;
  decides = true;
  /** Hosts that copies may lie on no more. */
  readonly going = new Set<string>();
  constructor(
    readonly wanted = 2,
    readonly apart = 'host',
    names = ['h1', 'h2', 'h3', 'h4'],
    readonly gb = 100,
    readonly share = false,
  ) {
    for (const name of names) this.hosts.set(name, { files: join(this.dir, name), since: 0 });
    this.settle();
  }
  private around(): Around {
    const runs = (image: string, node: string) =>
      ({
        ready: true,
        node,
        owner: { spec: { template: { spec: { containers: [{ image: `own.example/${image}:1` }] } } } },
      }) as never as Pod;
    const objects = [
      {
        kind: 'ConfigMap',
        metadata: { name: 'volume-controller' },
        data: {
          hosts: [...this.hosts.keys()]
            .filter((h) => !this.going.has(h))
            .map((h) => `${h} rack-${Number(h.slice(1)) % 2} - ${this.gb}`)
            .join('\n'),
          rebuild: 'kept 600 1',
        },
      },
      {
        kind: 'StorageClass',
        metadata: { name: 'kept' },
        parameters: { copies: String(this.wanted), apart: this.apart, ...(this.share ? { share: 'true' } : {}) },
      },
    ] as never as KubeObject[];
    const volume = {
      kind: 'PersistentVolume',
      metadata: { name: 'v' },
      spec: { storageClassName: 'kept', capacity: { storage: '1G' }, csi: { driver: 'd', volumeHandle: 'v' } },
    } as never as KubeObject;
    return {
      hosts: this.hosts,
      objects,
      state: {
        pods: [
          ...(this.decides ? [runs('volume-controller', 'h9')] : []),
          ...[...this.hosts].flatMap(([n, h]) => (h.away === undefined ? runs('volume-node', n) : [])),
        ],
        volumes: { volumes: [volume], claims: new Map() },
      } as never as State,
      grace: 40,
      now: this.now,
      after: (since, seconds) => since + seconds * 1000,
    };
  }
  settle = () => this.copies.settle(this.around());
  /** Seconds after the beginning. */
  at(seconds: number): this {
    this.now = seconds * 1000;
    this.settle();
    return this;
  }
  off(host: string): this {
    (this.hosts.get(host) as CopyHost).away = this.now;
    this.settle();
    return this;
  }
  on(host: string): this {
    this.hosts.set(host, { files: join(this.dir, host), since: this.now });
    this.settle();
    return this;
  }
  erase(host: string): this {
    rmSync(join(this.dir, host), { recursive: true, force: true });
    return this;
  }
  /** Whether it was acknowledged. */
  write(name: string, bytes: string): boolean {
    this.settle();
    const from = this.copies.opened('v');
    if (!from) return false;
    const stage = join(this.dir, 'stage');
    rmSync(stage, { recursive: true, force: true });
    mkdirSync(stage, { recursive: true });
    for (const f of readdirSync(from)) writeFileSync(join(stage, f), readFileSync(join(from, f)));
    writeFileSync(join(stage, name), bytes);
    return this.copies.put('v', stage);
  }
  /** What a host has of the volume, by file; undefined: nothing. */
  has(host: string): Record<string, string> | undefined {
    const f = join(this.dir, host, lie, 'v');
    return existsSync(f) ? Object.fromEntries(readdirSync(f).map((n) => [n, readFileSync(join(f, n), 'utf8')])) : undefined;
  }
  told = () =>
    this.copies
      .objects('d', (w) => `${w / 1000} s`)
      .map((o) => {
        const s = o.status as Record<string, string>;
        return [
          o.spec.host,
          s.state,
          s.since,
          ...(s.until ? [`from ${s.from} until ${s.until}`] : []),
          ...(s.message ? [s.message] : []),
        ].join(' ');
      });
  lacks = () =>
    this.copies.lacks('v', 'd', [...this.hosts].find(([, h]) => h.away === undefined)?.[0] ?? '', this.around().state);
}

describe('copies of a volume', () => {
  it('lie on hosts that share nothing, as many as the class says', () => {
    expect(new Room(2).told()).toEqual(['h1 current 0 s', 'h2 current 0 s']);
    expect(new Room(3).told().map((t) => t.split(' ')[0])).toEqual(['h1', 'h2', 'h3']);
    // h1 and h3 stand in one rack.
    expect(new Room(2, 'rack', ['h1', 'h3', 'h4']).told().map((t) => t.split(' ')[0])).toEqual(['h1', 'h4']);
    // Where they may share: a rack, and never a host.
    expect(new Room(3, 'rack', ['h1', 'h3', 'h4'], 100, true).told().map((t) => t.split(' ')[0])).toEqual(['h1', 'h4', 'h3']);
    expect(new Room(3, 'rack', ['h1', 'h4'], 100, true).told()).toHaveLength(2);
    // A third rack is not there.
    expect(new Room(3, 'rack').told()).toHaveLength(2);
    expect(new Room(2, 'host', ['h1', 'h2'], 0.5).told()).toEqual([]);
    expect(new Room(2, 'host', ['h1', 'h2'], 0.5).lacks()).toContain('no host has room for a copy');
  });
  it('have what was written when it is acknowledged', () => {
    const r = new Room();
    expect(r.write('a', 'one')).toBe(true);
    expect([r.has('h1'), r.has('h2'), r.has('h3')]).toEqual([{ a: 'one' }, { a: 'one' }, undefined]);
  });
  it('are current at once when their host is back and nothing was written; else they take in everything first', () => {
    const r = new Room();
    r.write('a', 'one');
    r.at(100).off('h2').at(130);
    expect(r.told()).toEqual(['h1 current 0 s', 'h2 silent 100 s']);
    expect(r.on('h2').told()).toEqual(['h1 current 0 s', 'h2 current 130 s']);
    r.at(200).off('h2');
    r.write('b', 'two');
    r.at(230).on('h2');
    // 1 GB at 1 Gbit/s: 8 s.
    expect(r.told()).toEqual(['h1 current 0 s', 'h2 filling 230 s from h1 until 238 s']);
    expect([r.at(237.9).has('h2'), r.at(238).has('h2')]).toEqual([{ a: 'one' }, { a: 'one', b: 'two' }]);
    expect(r.told()[1]).toBe('h2 current 238 s');
  });
  it('are made anew elsewhere when their host is away for too long; what it had goes when it is back', () => {
    const r = new Room();
    r.write('a', 'one');
    r.at(100).off('h2');
    // Lost after 40 s, and 600 s more.
    expect(r.at(739.9).told()[1]).toBe('h2 silent 100 s');
    expect(r.at(740).told()[1]).toBe('h3 filling 740 s from h1 until 748 s');
    r.at(748).write('b', 'two');
    expect([r.told()[1], r.has('h3')]).toEqual(['h3 current 748 s', { a: 'one', b: 'two' }]);
    expect(r.has('h2')).toEqual({ a: 'one' });
    r.at(800).on('h2');
    expect([r.told().length, r.has('h2')]).toEqual([2, undefined]);
  });
  it('stay as they are while nobody decides, or no further host has room', () => {
    const r = new Room();
    r.write('a', 'one');
    r.decides = false;
    r.at(100).off('h2').at(2000);
    expect(r.told()[1]).toBe('h2 silent 100 s');
    r.decides = true;
    expect(r.at(2001).told()[1]).toBe('h3 filling 2000 s from h1 until 2008 s');
    const small = new Room(2, 'rack', ['h1', 'h2', 'h3']);
    small.write('a', 'one');
    expect(small.at(100).off('h2').at(900).told()[1]).toBe('h2 silent 100 s no further rack has room for a copy');
  });
  it('a host that is killed while it takes one in has a part of it, which never counts', () => {
    const r = new Room();
    for (const f of ['a', 'b', 'c', 'd']) r.write(f, f.repeat(1000));
    r.at(100).off('h2').at(744).off('h3');
    // A half of four files of one size had come.
    r.at(745);
    expect(Object.keys(r.has('h3') ?? {})).toEqual(['a', 'b']);
    r.on('h3');
    expect(r.told()[1]).toBe('h3 filling 745 s from h1 until 753 s');
    expect(Object.keys(r.at(753).has('h3') ?? {})).toEqual(['a', 'b', 'c', 'd']);
    // Killed again, and the next one as well: h4 had nothing of it yet.
    r.at(800).off('h3').at(1440).off('h4');
    expect([r.told(), r.has('h4')]).toEqual([['h1 current 0 s', 'h4 silent 1440 s'], {}]);
  });
  it('take from another where the one that they are made from is killed, and wait where there is none', () => {
    const r = new Room(3);
    r.write('a', 'one');
    r.at(100).off('h3').at(742);
    expect(r.told()[2]).toBe('h4 filling 740 s from h1 until 748 s');
    expect(r.off('h1').told()[2]).toBe('h4 filling 740 s from h2 until 750 s');
    expect(r.at(750).has('h4')).toEqual({ a: 'one' });
    const two = new Room();
    two.write('a', 'one');
    two.at(100).off('h2').at(742).off('h1').at(745);
    expect(two.told()).toEqual(['h1 silent 742 s', 'h3 behind 740 s']);
    expect([two.lacks(), two.write('b', 'two')]).toEqual([
      expect.stringContaining('h1 does not answer, h3 lacks something'),
      false,
    ]);
    // The one that was given up has all that was written: it counts again.
    two.at(800).on('h2');
    expect([two.told()[1], two.lacks(), two.write('b', 'two')]).toEqual(['h2 current 800 s', undefined, true]);
    two.at(900).on('h1').at(908);
    expect([two.has('h1'), two.has('h2'), two.has('h3')]).toEqual([{ a: 'one', b: 'two' }, { a: 'one', b: 'two' }, undefined]);
  });
  it('of which both are lost are back with the one that had the last write, never with the other', () => {
    const r = new Room();
    r.write('a', 'one');
    r.at(100).off('h2');
    r.write('b', 'two');
    r.at(110).off('h1');
    expect([r.told(), r.write('c', 'three')]).toEqual([['h1 silent 110 s', 'h2 silent 100 s'], false]);
    r.at(120).on('h2');
    // Nor by who has opened it before.
    expect(r.copies.put('v', join(r.dir, 'stage'))).toBe(false);
    expect(r.has('h2')).toEqual({ a: 'one' });
    expect([r.told()[1], r.lacks()?.includes('h2 lacks something'), r.write('c', 'three')]).toEqual([
      'h2 behind 120 s',
      true,
      false,
    ]);
    r.at(130).on('h1').at(138);
    expect([r.told(), r.has('h2')]).toEqual([['h1 current 130 s', 'h2 current 138 s'], { a: 'one', b: 'two' }]);
  });
  it('leave hosts that they may lie on no more: they are used until others are whole, and go then', () => {
    const r = new Room();
    r.write('a', 'one');
    r.at(100).going.add('h1').add('h2');
    expect(r.at(100).told()).toEqual([
      'h1 current 0 s',
      'h2 current 0 s',
      'h3 filling 100 s from h1 until 108 s',
      'h4 filling 100 s from h1 until 108 s',
    ]);
    r.write('b', 'two');
    expect(
      r
        .at(108)
        .told()
        .map((t) => t.split(' ').slice(0, 2).join(' ')),
    ).toEqual(['h3 current', 'h4 current']);
    expect([r.has('h1'), r.has('h3'), r.has('h4')]).toEqual([undefined, { a: 'one', b: 'two' }, { a: 'one', b: 'two' }]);
    // Nowhere else to go: they stay where they are.
    const small = new Room(2, 'host', ['h1', 'h2']);
    small.write('a', 'one');
    small.going.add('h2');
    expect([small.at(5000).told(), small.has('h2')]).toEqual([['h1 current 0 s', 'h2 current 0 s'], { a: 'one' }]);
    // One that does not answer is given up for those that do.
    small.off('h2');
    expect(small.told()).toEqual(['h1 current 0 s']);
  });
  it('that are erased are gone, and taken in anew as long as one is left', () => {
    const r = new Room();
    r.write('a', 'one');
    r.at(100).off('h2').erase('h2').at(200).on('h2').at(208);
    expect(r.has('h2')).toEqual({ a: 'one' });
    r.off('h1').off('h2').erase('h1').erase('h2').at(300).on('h1').on('h2').at(2000);
    expect([r.told().map((t) => t.split(' ')[1]), r.lacks() !== undefined]).toEqual([['gone', 'gone'], true]);
  });
  it('are told again by one who was begun anew from what was kept', () => {
    const r = new Room();
    r.write('a', 'one');
    r.at(100).off('h2');
    r.write('b', 'two');
    const anew = new Copies();
    anew.restore(JSON.parse(JSON.stringify(r.copies.save())));
    Object.assign(r, { copies: anew });
    r.at(130).on('h2').at(138);
    expect(r.has('h2')).toEqual({ a: 'one', b: 'two' });
  });
});
