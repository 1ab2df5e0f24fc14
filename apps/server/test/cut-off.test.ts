import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { FaultKind } from '@praesidor/standins';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
// Plain Node, as the start commands use it.
// @ts-expect-error it has no types
import { createDatabase, startPostgres } from '../../../scripts/lib/postgres.mjs';
import { buildOf, type Client, eventually, freePort, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

interface Postgres {
  port: number;
  url: (database: string) => string;
  stop: () => Promise<void>;
  dir: string;
}
/** What a change stands on is cut off at every kind of its steps: the database, and whatever outside a step speaks with. */
const i = new Installation();
let dir = '';
let pg: Postgres;
let c: Client;
let p: Plover;
const start = async () => {
  pg = (await startPostgres(join(dir, 'postgres'), pg?.port ?? (await freePort()), { lasting: true })) as Postgres;
};

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'cut-off-'));
  // PostgreSQL runs as somebody else.
  chmodSync(dir, 0o755);
  await start();
  createDatabase(pg, 'praesidor');
  await i.start({ database: { url: pg.url('praesidor'), drop: async () => undefined } });
  c = await i.as('warden');
  p = new Plover(i, c);
  await prepare(c);
  await p.set('two workers', [['workers', 'count'], 2]);
  await p.begin('build');
  await p.done(1);
  // What is silent is given up sooner than while it was built.
  i.running.ctx.config.timeoutSeconds = 4;
});
afterAll(async () => {
  await i.stop();
  await pg?.stop();
  if (pg) rmSync(pg.dir, { recursive: true, force: true });
  rmSync(dir, { recursive: true, force: true });
});

/** The database goes, is seen to be gone, and comes back. */
async function withoutDatabase(): Promise<void> {
  await pg.stop();
  await eventually(async () => (await c.call('GET', '/api/ready')).status === 503, 'it to be seen that the database is away');
  await start();
  await eventually(async () => (await c.call('GET', '/api/ready')).status === 200, 'everything to work again');
}
/** What a step of a kind speaks with on its way. */
const outside: Partial<Record<string, (host: string) => [FaultKind, string]>> = {
  names: () => ['dns-silent', 'dns'],
  power: (host) => ['bmc-silent', host],
  system: (host) => ['bmc-silent', host],
  images: () => ['registry-silent', 'lr-registry'],
  drain: () => ['api-silent', 'plover'],
  'control-plane': () => ['api-silent', 'plover'],
  worker: () => ['api-silent', 'plover'],
  'pod-network': () => ['api-silent', 'plover'],
  inbound: () => ['api-silent', 'plover'],
  proof: () => ['api-silent', 'plover'],
};

describe('a change of what stands', () => {
  it('goes on by itself when the database comes back, at whichever kind of step it went; what is outside is named, and waited for or mended', async () => {
    await p.set('another zone', [['timezone'], 'Europe/Lisbon']);
    // A mirror whose disk is full is read as before: nothing is brought to it by a change.
    i.plant('registry-full', 'lr-registry');
    // Slowly enough to be met in the middle of each.
    i.world.clock.setSpeed(400);
    const { steps } = await (async () => {
      expect((await p.begin('apply')).body.number).toBe(2);
      return c.good<{ steps: { id: string; kind: string; host?: string }[] }>('GET', '/api/builds/plover/2');
    })();
    const of = new Map(steps.map((s) => [s.id, s]));
    const gone = new Set<string>();
    const cut = new Map<string, string>();
    for (;;) {
      const now = await eventually(async () => {
        const { status } = await buildOf(c, 2);
        const fresh = Object.entries(status.steps).find(([id, s]) => {
          const kind = of.get(id)?.kind ?? '';
          return s.state === 'running' && (!gone.has(kind) || (outside[kind] && !cut.has(kind)));
        });
        return fresh || ['done', 'failed'].includes(status.state) ? { status, id: fresh?.[0] } : undefined;
      }, 'a step of another kind, or the end');
      const step = of.get(now.id ?? '');
      if (!step) {
        if (now.status.state === 'done') break;
        // Nobody but what was cut off is why it failed.
        const failed = Object.entries(now.status.steps).filter(([, s]) => s.state === 'failed');
        expect(failed.map(([id]) => of.get(id)?.kind).filter((k) => !cut.has(k ?? ''))).toEqual([]);
        for (const [, s] of failed) expect(s.remedy, s.text).toBeTruthy();
        await c.good('POST', '/api/builds/plover/2/resume', {});
        await eventually(async () => (await buildOf(c, 2)).status.state !== 'failed', 'it to go on');
        continue;
      }
      if (!gone.has(step.kind)) {
        gone.add(step.kind);
        await withoutDatabase();
        continue;
      }
      const [fault, subject] = outside[step.kind]?.(step.host ?? '') ?? [];
      if (!fault || !subject) continue;
      cut.set(step.kind, step.id);
      i.plant(fault, subject);
      // It meets it, or it did not need it any more; what is said of it then, `remedies` looks at.
      await eventually(
        async () => i.world.faults.struck(fault, subject) || (await buildOf(c, 2)).status.steps[step.id]?.state !== 'running',
        `${step.id} to meet that ${subject} is silent, or to end`,
      );
      i.lift(fault, subject);
    }
    const b = await p.done(2);
    expect(b.proof?.every((x) => x.good)).toBe(true);
    // Those that take long enough to be met at this speed.
    expect(['drain', 'power', 'system', 'images'].filter((k) => !gone.has(k))).toEqual([]);
    expect(['power', 'images'].filter((k) => !cut.has(k))).toEqual([]);
    expect(await p.due()).toBeNull();
  });
});
