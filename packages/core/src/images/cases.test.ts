import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { leastBins, type Piece, repairOf, splitIntoCases, ShipmentManifest, shipmentManifestOf } from './index.ts';

const d = (n: number) => `sha256:${n.toString(16).padStart(64, '0')}`;
const blobs = (...sizes: number[]) => sizes.map((bytes, i) => ({ digest: d(i + 1), bytes }));
const whole = (n: number, bytes: number): Piece => ({ digest: d(n), from: 0, to: bytes });

describe('cases', () => {
  it('are filled largest first', () => {
    // 7+3, 6+4 and 5: 25 bytes in cases of 10; three are the least there can be
    expect(splitIntoCases(blobs(7, 6, 5, 4, 3), 10)).toEqual({
      cases: [
        { number: 1, bytes: 10, pieces: [whole(1, 7), whole(5, 3)] },
        { number: 2, bytes: 10, pieces: [whole(2, 6), whole(4, 4)] },
        { number: 3, bytes: 5, pieces: [whole(3, 5)] },
      ],
      bytes: 25,
      bound: 3,
    });
  });
  it('keep room for what describes them', () => {
    expect(splitIntoCases(blobs(8, 1), 10, 2).cases.map((c) => c.bytes)).toEqual([8, 1]);
    expect(() => splitIntoCases(blobs(1), 10, 10)).toThrow('nothing beside its own description');
  });
  it('share a blob that is larger than one of them', () => {
    // 25 in cases of 10: two full ones, and the last 5 beside a blob of 4
    expect(splitIntoCases(blobs(25, 4), 10).cases.map((c) => c.pieces.map((p) => [p.digest, p.from, p.to]))).toEqual([
      [[d(1), 0, 10]],
      [[d(1), 10, 20]],
      [
        [d(1), 20, 25],
        [d(2), 0, 4],
      ],
    ]);
  });
  it('hold every byte once, none over its size, whatever is packed', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 300 }), { maxLength: 60 }),
        fc.integer({ min: 1, max: 100 }),
        (sizes, room) => {
          const list = blobs(...sizes);
          const plan = splitIntoCases(list, room);
          const got = new Map<string, number>();
          for (const c of plan.cases) {
            expect(c.bytes).toBeLessThanOrEqual(room);
            let at = 0;
            for (const p of c.pieces) at += p.to - p.from;
            expect(at).toBe(c.bytes);
            for (const p of c.pieces) got.set(p.digest, (got.get(p.digest) ?? 0) + p.to - p.from);
          }
          expect([...got].sort()).toEqual(list.map((b) => [b.digest, b.bytes]).sort());
          expect(plan.cases.filter((c) => c.bytes > 0).length).toBeGreaterThanOrEqual(Math.min(plan.bound, 1) && plan.bound);
          // First fit, largest first, needs at most 11/9 of the best and two thirds of a case (Dósa 2007).
          expect(plan.cases.length).toBeLessThanOrEqual(Math.max(1, Math.ceil((11 / 9) * Math.max(1, plan.bound) * 1.5 + 1)));
        },
      ),
    );
  });
  it('cannot be fewer than those that share none with another', () => {
    // six of 0.6: no two go together, although 3.6 would fit into four
    expect(leastBins([6, 6, 6, 6, 6, 6], 10)).toBe(6);
    // and small ones that find no room beside them need cases of their own: 5 × 0.9, 5 × 0.5 → 5 + 3
    expect(leastBins([9, 9, 9, 9, 9, 5, 5, 5, 5, 5], 10)).toBe(8);
    expect(leastBins([], 10)).toBe(0);
  });
});

describe('a manifest', () => {
  const images = [
    { repository: 'core/api', tag: '1', digest: d(90), manifests: [{ digest: d(90), bytes: 3 }], blobs: [d(1), d(2)] },
    { repository: 'core/dns', tag: '1', digest: d(91), manifests: [{ digest: d(91), bytes: 3 }], blobs: [d(2), d(3)] },
  ];
  const sizes = { [d(1)]: 25, [d(2)]: 4, [d(3)]: 9 };
  const w = shipmentManifestOf(
    { shipment: 'LR-5', at: '2026-11-23T00:00:00Z', from: 'a', to: 'b', bills: ['1'] },
    images,
    sizes,
    splitIntoCases(blobs(25, 4, 9), 10),
  );
  it('is read back as it was written, and one whose pieces do not join is refused', () => {
    expect(ShipmentManifest.parse(JSON.parse(JSON.stringify(w)))).toEqual(w);
    const torn = structuredClone(w);
    (torn.cases[0]?.pieces[0] as Piece).to = 9;
    expect(ShipmentManifest.safeParse(torn).error?.issues.map((i) => i.message)).toContain(
      `the pieces of ${d(1).slice(0, 19)} do not join`,
    );
    const long = structuredClone(w);
    long.blobs[d(2)] = 3;
    expect(ShipmentManifest.safeParse(long).success).toBe(false);
    expect(ShipmentManifest.safeParse({ ...w, images: [{ ...images[0], repository: '../etc' }] }).success).toBe(false);
  });
  it('tells from any of its cases what is lacking, in bytes and images', () => {
    // cases: 1 and 2 hold 10 of blob 1 each, 3 holds blob 3 (9), 4 the last 5 of blob 1 and blob 2 (4)
    expect(w.cases.map((c) => c.bytes)).toEqual([10, 10, 9, 9]);
    const r = repairOf(w, {
      cases: [
        { number: 1, bad: [] },
        { number: 3, bad: [{ path: `blobs/sha256/${d(3).slice(7)}`, why: 'other bytes' }] },
        { number: 4, bad: [] },
      ],
    });
    expect(r).toEqual({
      missing: [2],
      damaged: [{ case: 3, path: `blobs/sha256/${d(3).slice(7)}`, why: 'other bytes' }],
      digests: [d(1), d(3)],
      bytes: 19,
      images: ['core/api:1', 'core/dns:1'],
    });
    expect(repairOf(w, { cases: [] }, new Set([d(1), d(2), d(3)])).digests).toEqual([]);
  });
});
