import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Running } from '../src/app.ts';
import { bareServer, privateDatabase } from './installation.ts';

/** What somebody has seen is a position that no later commit can slip under, whatever runs beside. */
let database: Awaited<ReturnType<typeof privateDatabase>>;
const dir = mkdtempSync(join(tmpdir(), 'positions-'));
const running: Running[] = [];
beforeAll(async () => {
  database = await privateDatabase();
});
afterAll(async () => {
  for (const r of running) await r.close();
  await database.drop();
  rmSync(dir, { recursive: true, force: true });
});

it('three servers that start at once on an empty database all answer', async () => {
  const starts = await Promise.all([1, 2, 3].map(() => bareServer(database.url, join(dir, 'data'))));
  running.push(...starts);
  for (const r of starts) expect((await fetch(`${r.url}/api/ready`)).status).toBe(200);
});

describe('the position of an event', () => {
  it('never slips under one that was seen: hundreds of transactions, long and short, rolled back and committed', async () => {
    const pool = new pg.Pool({ connectionString: database.url, max: 24 });
    const reader = new pg.Client({ connectionString: database.url });
    await reader.connect();
    const seen: { position: number; subject: string }[] = [];
    let last = Number((await reader.query('select coalesce(max(position), 0) as p from event')).rows[0].p);
    const before = last;
    const look = async () => {
      const { rows } = await reader.query<{ position: string; subject: string }>(
        'select position, subject from event where position > $1 order by position',
        [last],
      );
      for (const r of rows) seen.push({ position: Number(r.position), subject: r.subject });
      last = seen.at(-1)?.position ?? last;
    };
    let over = false;
    const reading = (async () => {
      while (!over) await look();
    })();
    // A small generator of its own, so that a failure comes again: xorshift32.
    let seed = 0x2545f491;
    const random = () => {
      seed ^= seed << 13;
      seed ^= seed >>> 17;
      seed ^= seed << 5;
      return (seed >>> 0) / 2 ** 32;
    };
    const plans = Array.from({ length: 500 }, (_, n) => ({
      n,
      events: 1 + Math.floor(random() * 4),
      // One in twenty stays open for a while after its first event: others commit meanwhile.
      holds: random() < 0.05 ? 0.15 : random() * 0.004,
      rolledBack: random() < 0.15,
    }));
    const committed: string[] = [];
    await Promise.all(
      plans.map(async (p) => {
        const c = await pool.connect();
        try {
          await c.query('begin');
          for (let k = 0; k < p.events; k++) {
            await c.query("insert into event (kind, subject) values ('Test', $1)", [`${p.n}.${k}`]);
            if (!k) await c.query('select pg_sleep($1)', [p.holds]);
          }
          await c.query(p.rolledBack ? 'rollback' : 'commit');
          if (!p.rolledBack) for (let k = 0; k < p.events; k++) committed.push(`${p.n}.${k}`);
        } finally {
          c.release();
        }
      }),
    );
    over = true;
    await reading;
    await look();
    await pool.end();
    await reader.end();
    // Read past once is never: every event that was committed was seen, once, by somebody who only asked for what is behind.
    expect(
      seen
        .map((s) => s.subject)
        .filter((s) => /^\d+\.\d$/.test(s))
        .sort(),
    ).toEqual(committed.sort());
    expect(seen.every((s, i) => s.position > (seen[i - 1]?.position ?? before))).toBe(true);
    // Those of one transaction stand together, in the order in which they were written.
    for (const p of plans.filter((x) => !x.rolledBack)) {
      const own = seen.filter((s) => s.subject.startsWith(`${p.n}.`));
      expect(own.map((s) => s.subject)).toEqual(Array.from({ length: p.events }, (_, k) => `${p.n}.${k}`));
      expect((own.at(-1)?.position ?? 0) - (own[0]?.position ?? 0)).toBe(p.events - 1);
    }
  });
});
