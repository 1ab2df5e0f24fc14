import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { emptyEstate, type Estate, readDocuments, sliceOf } from '@praesidor/core/model';
import { ComputeWorker } from '../src/compute/compute-worker.ts';

/** The thread that computes, with the estate of the demonstration. */
const folder = join(import.meta.dirname, '../../../demo/estate');
const estate: Estate = emptyEstate('2026-12-01T08:00:00Z');
for (const f of readdirSync(folder))
  for (const { doc } of readDocuments(readFileSync(join(folder, f), 'utf8'), f).docs)
    (estate[sliceOf[doc.kind]] as unknown[]).push(doc);
const workers: ComputeWorker[] = [];
const worker = (limitMs?: number) => {
  const w = new ComputeWorker(limitMs);
  workers.push(w);
  return w;
};
afterAll(() => Promise.all(workers.map((w) => w.close())));
const ask = (w: ComputeWorker) => w.kitOf(estate, 'tern', 'http://127.0.0.1:8080');

describe('the thread that computes', () => {
  it('gives each its time, however long the queue before it is', async () => {
    const first = worker();
    await ask(first);
    const took: number[] = [];
    for (let n = 0; n < 5; n++) {
      const began = performance.now();
      await ask(first);
      took.push(performance.now() - began);
    }
    const one = took.sort((a, b) => a - b)[2] ?? 0;
    // Sixty times as long as one takes, where one may take twenty times as long as usual; the first makes the program of the thread.
    const w = worker(Math.max(2000, 20 * one));
    await ask(w);
    const began = performance.now();
    const all = Math.ceil(Math.max(60, 5000 / one));
    const done = await Promise.all(Array.from({ length: all }, () => ask(w)));
    expect(done.every((files) => files.length > 10)).toBe(true);
    expect(performance.now() - began).toBeGreaterThan(Math.max(2000, 20 * one));
  });
  it('that takes too long for one is replaced; who waited is told so, and the next is answered', async () => {
    const w = worker(1);
    const both = await Promise.allSettled([ask(w), ask(w)]);
    for (const a of both)
      expect(a).toMatchObject({
        status: 'rejected',
        reason: { code: 'away', message: 'What follows from the plan took longer than 0.001 s to compute (kitOf).' },
      });
    const patient = worker();
    expect((await ask(patient)).length).toBeGreaterThan(10);
  });
});
