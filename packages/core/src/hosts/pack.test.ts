import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Bin, leastBins, pack, type Piece } from './index.ts';

const bin = (name: string, more: Partial<Bin> = {}): Bin => ({
  name,
  zone: name,
  cores: 16,
  overcommit: 2,
  memoryGiB: 100,
  pools: [{ name: 'fast', media: 'nvme', sizeGB: 1000 }],
  networks: ['bw-machine'],
  ...more,
});
const piece = (name: string, more: Partial<Piece> = {}): Piece => ({
  name,
  vcpu: 4,
  memoryGiB: 20,
  disks: [{ sizeGB: 50 }],
  networks: ['bw-machine'],
  ...more,
});
const guests = (n: number, more: Partial<Piece> = {}) => Array.from({ length: n }, (_, i) => piece(`g${i + 1}`, more));
const spread = { strategy: 'spread', tolerate: 0 } as const;
const safe = { strategy: 'spread', tolerate: 1 } as const;

describe('packing guests', () => {
  it('spreads them evenly, and says what is left', () => {
    const p = pack([bin('a'), bin('b'), bin('c')], guests(6), spread);
    expect(p.left.map((l) => [l.guests, l.memoryGiB, l.vcpu, l.diskGB])).toEqual([
      [2, 60, 24, 900], // 100 − 2 × 20 GiB; 16 × 2 − 2 × 4 vCPU; 1000 − 2 × 50 GB
      [2, 60, 24, 900],
      [2, 60, 24, 900],
    ]);
    expect(p.losses.every((l) => l.stranded.length === 0 && l.memoryLeftGiB === 80)).toBe(true); // 2 × 60 − 40
  });
  it('uses as few as it can when told to', () => {
    // 6 × 20 GiB = 120 GiB: two of 100 GiB
    expect(pack([bin('a'), bin('b'), bin('c')], guests(6), { strategy: 'dense', tolerate: 0 }).bound).toMatchObject({
      used: 2,
      atLeast: 2,
    });
    // with one failure tolerated, the third takes in what the lost one had: 60 GiB into 100
    expect(pack([bin('a'), bin('b'), bin('c')], guests(6), { strategy: 'dense', tolerate: 1 })).toMatchObject({
      bound: { used: 2, atLeast: 2 },
      losses: [{ stranded: [] }, { stranded: [] }],
    });
  });
  it('keeps a group apart by hypervisor, and over zones before load', () => {
    const bins = [bin('a1', { zone: 'A' }), bin('a2', { zone: 'A' }), bin('b1', { zone: 'B', memoryGiB: 60 })];
    const p = pack(bins, guests(2, { group: 'cp' }), spread);
    expect(new Set(p.placed.map((x) => x.hypervisor[0]))).toEqual(new Set(['a', 'b']));
    const four = pack(bins, guests(4, { group: 'cp' }), spread);
    expect(four.unplaced).toEqual([{ guest: 'g4', why: 'one of the group cp stands on each hypervisor with room' }]);
  });
  it.each([
    [{ memoryGiB: 120 }, '120 GiB of memory asked; the most left on one hypervisor is 100 GiB'],
    [{ vcpu: 40 }, '40 vCPU asked; the most left on one with memory for it is 32'],
    [{ disks: [{ sizeGB: 50, media: 'hdd' }] }, 'no pool has 50 GB hdd left'],
    [{ disks: [{ sizeGB: 600 }, { sizeGB: 600 }] }, 'no pool has 600 GB and 600 GB left'],
    [{ networks: ['bw-store'] }, 'no hypervisor has bw-store'],
  ] as [Partial<Piece>, string][])('says why %j finds no place', (more, why) => {
    expect(pack([bin('a')], [piece('g', more)], spread).unplaced).toEqual([{ guest: 'g', why }]);
  });
  it('leaves guests where they are', () => {
    const p = pack([bin('a'), bin('b')], [piece('old', { on: 'a', memoryGiB: 90 }), piece('new', { memoryGiB: 30 })], spread);
    expect(p.placed).toEqual([
      { guest: 'old', hypervisor: 'a', pools: ['fast'] },
      { guest: 'new', hypervisor: 'b', pools: ['fast'] },
    ]);
  });
  it('names who would be lost, and who would stand beside its own', () => {
    const p = pack(
      [bin('a'), bin('b', { memoryGiB: 30 })],
      [
        piece('x', { on: 'a', memoryGiB: 40 }),
        piece('y', { on: 'a', memoryGiB: 20, group: 'q' }),
        piece('z', { on: 'b', memoryGiB: 5, group: 'q' }),
      ],
      spread,
    );
    expect(p.losses.find((l) => l.hypervisor === 'a')).toMatchObject({ stranded: ['x'], crowded: ['y'], memoryLeftGiB: 5 }); // 30 − 5 − 20
  });
  it('nothing at all', () => {
    expect(pack([], guests(1), spread).unplaced[0]?.why).toBe('there is no hypervisor');
    expect(pack([bin('a')], [], safe)).toMatchObject({ placed: [], unplaced: [] });
  });
});

describe('any packing', () => {
  const bins = fc.array(
    fc.record({
      cores: fc.integer({ min: 2, max: 32 }),
      mem: fc.integer({ min: 8, max: 128 }),
      disk: fc.integer({ min: 50, max: 900 }),
      zone: fc.constantFrom('A', 'B', 'C'),
    }),
    { minLength: 1, maxLength: 6 },
  );
  const pieces = fc.array(
    fc.record({
      vcpu: fc.integer({ min: 1, max: 16 }),
      mem: fc.integer({ min: 1, max: 64 }),
      disk: fc.integer({ min: 1, max: 400 }),
      group: fc.constantFrom(undefined, 'p', 'q'),
    }),
    { maxLength: 14 },
  );
  const make = (
    b: never[] | { cores: number; mem: number; disk: number; zone: string }[],
    g: { vcpu: number; mem: number; disk: number; group: string | undefined }[],
  ) =>
    [
      b.map((x, i) =>
        bin(`h${i}`, { cores: x.cores, memoryGiB: x.mem, zone: x.zone, pools: [{ name: 'p', media: 'ssd', sizeGB: x.disk }] }),
      ),
      g.map((x, i) => piece(`g${i}`, { vcpu: x.vcpu, memoryGiB: x.mem, disks: [{ sizeGB: x.disk }], group: x.group })),
    ] as const;
  it('finds a packing wherever there is one: held against a search through all of them', () => {
    const exists = (hs: readonly Bin[], gs: readonly Piece[]): boolean => {
      const mem = hs.map((h) => h.memoryGiB);
      const cpu = hs.map((h) => h.cores * h.overcommit);
      const disk = hs.map((h) => h.pools[0]?.sizeGB ?? 0);
      const groups = hs.map(() => new Set<string>());
      const place = (at: number): boolean => {
        const g = gs[at];
        if (!g) return true;
        return hs.some((_, i) => {
          const d = g.disks[0]?.sizeGB ?? 0;
          if ((mem[i] as number) < g.memoryGiB || (cpu[i] as number) < g.vcpu || (disk[i] as number) < d) return false;
          if (g.group && groups[i]?.has(g.group)) return false;
          const move = (n: 1 | -1) => {
            mem[i] = (mem[i] as number) - n * g.memoryGiB;
            cpu[i] = (cpu[i] as number) - n * g.vcpu;
            disk[i] = (disk[i] as number) - n * d;
          };
          move(1);
          if (g.group) groups[i]?.add(g.group);
          const good = place(at + 1);
          move(-1);
          if (g.group) groups[i]?.delete(g.group);
          return good;
        });
      };
      return place(0);
    };
    let full = 0;
    fc.assert(
      fc.property(
        fc.array(bins, { minLength: 1, maxLength: 1 }),
        pieces,
        fc.constantFrom('spread' as const, 'dense' as const),
        ([b], g, strategy) => {
          const [hs, gs] = make((b ?? []).slice(0, 4) as never, g.slice(0, 8));
          const there = exists(hs, gs);
          const p = pack(hs, gs, { strategy, tolerate: 0 });
          expect(p.unplaced.length === 0).toBe(there);
          if (there && gs.length > 4) full++;
        },
      ),
      { numRuns: 600 },
    );
    expect(full).toBeGreaterThan(20);
  });
  it('lays several disks where the one with the most left would not do', () => {
    // 600 into the pool of 600 and 900 into the one of 1000: the other way round leaves no room
    const pools = [
      { name: 'a', media: 'ssd', sizeGB: 1000 },
      { name: 'b', media: 'ssd', sizeGB: 600 },
    ];
    const p = pack([bin('h', { pools })], [piece('g', { disks: [{ sizeGB: 600 }, { sizeGB: 900 }] })], spread);
    expect(p.placed).toEqual([{ guest: 'g', hypervisor: 'h', pools: ['b', 'a'] }]);
  });
  it('places each guest once or says why not, never over what there is, never two of a group together', () => {
    fc.assert(
      fc.property(
        bins,
        pieces,
        fc.constantFrom('spread' as const, 'dense' as const),
        fc.constantFrom(0 as const, 1 as const),
        (b, g, strategy, tolerate) => {
          const [hs, gs] = make(b, g);
          const p = pack(hs, gs, { strategy, tolerate });
          expect([...p.placed.map((x) => x.guest), ...p.unplaced.map((x) => x.guest)].sort()).toEqual(
            gs.map((x) => x.name).sort(),
          );
          for (const l of p.left) expect(Math.min(l.vcpu, l.memoryGiB, l.diskGB)).toBeGreaterThanOrEqual(0);
          const pairs = p.placed.flatMap((x) => {
            const group = gs.find((y) => y.name === x.guest)?.group;
            return group ? [`${group} ${x.hypervisor}`] : [];
          });
          expect(new Set(pairs).size).toBe(pairs.length);
          expect(pack(hs, gs, { strategy, tolerate })).toEqual(p);
        },
      ),
    );
  });
  it('the bound is one: no packing found by trying all uses fewer', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 10, max: 60 }), { minLength: 1, maxLength: 3 }),
        fc.array(fc.integer({ min: 1, max: 30 }), { minLength: 1, maxLength: 5 }),
        (mems, asks) => {
          const hs = mems.map((memoryGiB, i) => bin(`h${i}`, { memoryGiB }));
          const gs = asks.map((memoryGiB, i) => piece(`g${i}`, { memoryGiB, vcpu: 1, disks: [] }));
          let best = Number.POSITIVE_INFINITY;
          const tryAll = (i: number, left: number[], used: number) => {
            if (i === gs.length) {
              best = Math.min(best, new Set(left.map((n, k) => (n < (mems[k] as number) ? k : -1)).filter((k) => k >= 0)).size);
              return;
            }
            for (let k = 0; k < left.length; k++)
              if ((left[k] as number) >= (asks[i] as number))
                tryAll(
                  i + 1,
                  left.map((n, x) => (x === k ? n - (asks[i] as number) : n)),
                  used,
                );
          };
          tryAll(0, [...mems], 0);
          const least = leastBins(hs, gs);
          if (best < Number.POSITIVE_INFINITY) expect(least).toBeLessThanOrEqual(best);
          const p = pack(hs, gs, { strategy: 'dense', tolerate: 0 });
          if (!p.unplaced.length) {
            expect(p.bound.used).toBeGreaterThanOrEqual(best);
            expect(p.bound.atLeast).toBeLessThanOrEqual(best);
          }
        },
      ),
    );
  });
  it('where gaps everywhere take no large guest, one hypervisor is kept free', () => {
    // 4 × 100 GiB, 6 guests of 50: two on each of three, so that 50 + 50 find room when any fails; 3 + 3 + … would strand
    const p = pack(
      [1, 2, 3, 4].map((i) => bin(`h${i}`)),
      guests(6, { memoryGiB: 50 }),
      safe,
    );
    expect(p.unplaced).toEqual([]);
    expect(p.losses.flatMap((l) => l.stranded)).toEqual([]);
  });
  it('with one failure tolerated and everybody placed there is room, nobody is stranded', () => {
    const p = pack(
      Array.from({ length: 8 }, (_, i) => bin(`h${i}`, { zone: 'ABCD'[i % 4] as string })),
      guests(28),
      safe,
    ); // 28 × 20 = 560 of 7 × 100
    expect(p.unplaced).toEqual([]);
    expect(p.losses.flatMap((l) => l.stranded)).toEqual([]);
  });
});
