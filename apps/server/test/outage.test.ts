import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
// Plain Node, as the start commands use it.
// @ts-expect-error it has no types
import { createDatabase, startPostgres } from '../../../scripts/lib/postgres.mjs';
import { serveApart } from './apart.ts';
import {
  buildOf,
  builtOrBroken,
  Client,
  eventually,
  freePort,
  Installation,
  prepare,
  type ShipmentAnswer,
  shipmentIn,
} from './installation.ts';

interface Postgres {
  port: number;
  url: (database: string) => string;
  stop: () => Promise<void>;
  /** Where its data lies: elsewhere when its account cannot reach the folder that was asked for. */
  dir: string;
}
/** How long the database is away, in seconds. */
const away = 20;

/** PostgreSQL is stopped for 20 s under load, in a build, a sweep and a shipment, and started again: all end well. */
const i = new Installation();
let dir = '';
let pg: Postgres;
let c: Client;
let server: Awaited<ReturnType<typeof serveApart>>;
const start = async () => {
  pg = (await startPostgres(join(dir, 'postgres'), pg?.port ?? (await freePort()), { lasting: true })) as Postgres;
};

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'outage-'));
  await start();
  createDatabase(pg, 'praesidor');
  await i.start({ serve: false, speed: 300, database: { url: pg.url('praesidor'), drop: async () => undefined } });
  server = await serveApart(i);
  c = new Client(i.config.publicUrl);
  await c.signIn('warden', i.password);
});
afterAll(async () => {
  await server?.kill();
  await i.stop();
  await pg?.stop();
  if (pg) rmSync(pg.dir, { recursive: true, force: true });
  rmSync(dir, { recursive: true, force: true });
});

describe('the database away for 20 s', () => {
  it('in a build, a shipment and a sweep, with people at work: it is said, nothing ends, and all of it ends well', async () => {
    await prepare(c);
    const { shipment } = await c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
      target: 'bw-registry',
      bills: ['1.33.6'],
    });
    await c.good('POST', '/api/builds', { charter: 'plover' });
    await eventually(
      async () =>
        Object.entries((await buildOf(c)).status.steps).some(([id, s]) => id.endsWith('/images') && s.state === 'running'),
      'images being pulled',
    );
    await c.good('POST', '/api/hosts/sweep', { site: 'bw', range: '10.40.7.0/25' });
    await c.good('POST', `/api/shipments/${shipment.label}/start`);
    let stop = false;
    const codes = new Map<number, number>();
    const people = Array.from({ length: 8 }, async () => {
      while (!stop) {
        const a = await c.call('GET', '/api/acts?limit=5').catch(() => ({ status: 0 }));
        codes.set(a.status, (codes.get(a.status) ?? 0) + 1);
        await new Promise((r) => setTimeout(r, 50));
      }
    });
    await pg.stop();
    const began = Date.now();
    const ready = await eventually(async () => {
      const a = await c.call<{ checks: { name: string; ready: boolean }[] }>('GET', '/api/ready');
      return a.status === 503 && a.body.checks.every((x) => !x.ready) && a;
    }, 'readiness to say that nothing works');
    expect(ready.body.checks.map((x) => x.name)).toEqual(['database', 'events', 'jobs']);
    expect((await c.call('GET', '/api/health')).status).toBe(200);
    const refused = await c.call('POST', '/api/edits', {
      why: 'x',
      edits: [{ op: 'set', kind: 'Charter', key: 'tern', path: ['purpose'], value: 'x' }],
    });
    expect([refused.status, refused.body.code]).toEqual([503, 'away']);
    await new Promise((r) => setTimeout(r, Math.max(0, away * 1000 - (Date.now() - began))));
    expect(server.exited()).toBe(false);
    await start();
    await eventually(async () => (await c.call('GET', '/api/ready')).status === 200, 'everything works again');
    stop = true;
    await Promise.all(people);
    // Not one was told that something in Praesidor itself went wrong.
    expect([...codes.keys()].sort()).toEqual([200, 503]);
    i.world.clock.setSpeed(2000);
    const b = await builtOrBroken(c);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.every((p) => p.good)).toBe(true);
    expect((await shipmentIn(c, shipment.label, 'landed')).state).toBe('landed');
    const sweeps = await eventually(async () => {
      const e = await c.estate();
      const bw = e.observed.sightings.filter((s) => s.site === 'bw');
      return bw.length >= 14 && bw;
    }, 'the sweep to have looked at every controller');
    expect(new Set(sweeps.map((s) => s.address)).size).toBe(sweeps.length);
  });

  it('a job that can never be done is tried less and less often, and not a hundred times a minute', async () => {
    const tries = async () =>
      Number(
        (
          await i.query<{ n: number }>(
            "select coalesce(max(retry_count), 0)::int as n from jobs.job where name = 'bills' and data->>'id' = 'nope'",
          )
        )[0]?.n,
      );
    await i.query(
      'insert into jobs.job (name, data, retry_limit, retry_delay, retry_backoff) values (\'bills\', \'{"id":"nope"}\', 1000, 1, true)',
    );
    await eventually(async () => (await tries()) >= 2, 'the second try');
    await new Promise((r) => setTimeout(r, 8000));
    expect(await tries()).toBeLessThan(6);
  });
});
