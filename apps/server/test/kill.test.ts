import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
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

const i = new Installation();
let c: Client;
let server: { kill: () => Promise<void> };
const serve = (more: Record<string, string> = {}) => serveApart(i, more);

beforeAll(async () => {
  await i.start({ serve: false, whole: true });
  server = await serve();
  c = new Client(i.config.publicUrl);
  await c.signIn('warden', i.password);
});
afterAll(async () => {
  await server?.kill();
  await i.stop();
});

describe('killed with -9', () => {
  it('a shipment is taken over by the other server, by itself, and nothing is fetched twice', async () => {
    await eventually(async () => {
      const e = await c.estate();
      return e.observed.bills['1.33.6'] && e.observed.registries['bw-registry'];
    }, 'the bill');
    const { shipment } = await c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
      target: 'bw-registry',
      bills: ['1.33.6'],
    });
    await c.good('POST', `/api/shipments/${shipment.label}/start`);
    const landed = async () => (await i.world.stores.get('upstream')?.pulls())?.filter((l) => l.kind === 'blob').length ?? 0;
    await eventually(async () => (await landed()) > 40, 'some layers moved');
    const port = await freePort();
    const second = await serve({ PORT: String(port) });
    await server.kill();
    const other = new Client(`http://127.0.0.1:${port}`);
    await other.signIn('warden', i.password);
    expect((await shipmentIn(other, shipment.label, 'landed')).state).toBe('landed');
    await second.kill();
    server = await serve();
    const read = (await i.world.stores.get('upstream')?.pulls())?.filter((l) => l.kind === 'blob').map((l) => l.digest) ?? [];
    const twice = read.length - new Set(read).size;
    expect(twice).toBeLessThanOrEqual(5); // only what was on the way at the moment of the kill, five at a time
  });

  it('cases that were being packed are packed on where they stood, and every file of them has its checksum', async () => {
    const blobs = async () => ((await i.world.stores.get('upstream')?.pulls()) ?? []).filter((l) => l.kind === 'blob');
    const before = (await blobs()).length;
    const { shipment } = await c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
      target: 'lr-registry',
      bills: ['1.33.6'],
      way: 'case',
      caseBytes: 1_500_000,
    });
    await c.good('POST', `/api/shipments/${shipment.label}/start`);
    await eventually(async () => (await blobs()).length - before > 40, 'some layers packed');
    await server.kill();
    const dir = join(i.config.dataDir, 'cases', shipment.label);
    // Nothing is named as finished that is not: a case has its checksum list last.
    expect(readdirSync(dir).filter((n) => existsSync(join(dir, n, 'SHA256SUMS')))).toEqual([]);
    server = await serve();
    await shipmentIn(c, shipment.label, 'packed');
    const cases = readdirSync(dir).filter((n) => n.startsWith('case-'));
    expect(cases.length).toBeGreaterThan(1);
    for (const n of cases) {
      execFileSync('sha256sum', ['--quiet', '--strict', '-c', 'SHA256SUMS'], { cwd: join(dir, n) });
      expect(readdirSync(join(dir, n, 'blobs/sha256')).filter((f) => f.endsWith('.incoming'))).toEqual([]);
    }
    const read = (await blobs()).slice(before).map((l) => l.digest);
    expect(read.length - new Set(read).size).toBeLessThanOrEqual(8); // what was on the way, eight at a time
  });

  it('and started again, a build goes on and ends proved, its finished steps not run again', async () => {
    // Its mirror keeps images below a path of its own: nodes find them there, after a kill too.
    await prepare(c, 'mirrored');
    i.world.clock.setSpeed(300);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    await eventually(
      async () =>
        Object.entries((await buildOf(c)).status.steps).some(([id, s]) => id.endsWith('/images') && s.state === 'running'),
      'images being pulled',
    );
    const before = await buildOf(c);
    await server.kill();
    i.world.clock.setSpeed(2000);
    server = await serve();
    const b = await builtOrBroken(c);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    for (const [id, s] of Object.entries(before.status.steps))
      if (s.state === 'done') expect([id, b.status.steps[id]?.attempt]).toEqual([id, s.attempt]);
    expect(b.proof?.every((p) => p.good)).toBe(true);
  });

  it('at every kind of step of a change of what stands, it goes on, and no finished step is run again', async () => {
    i.world.clock.setSpeed(600);
    await c.good('POST', '/api/edits', {
      why: 'another zone',
      edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['timezone'], value: 'Europe/Lisbon' }],
    });
    await c.good('POST', '/api/builds', { charter: 'plover', kind: 'apply' });
    const { steps } = await c.good<{ steps: { id: string; kind: string }[] }>('GET', '/api/builds/plover/2');
    const kindOf = new Map(steps.map((s) => [s.id, s.kind]));
    const met = new Set<string>();
    const done = new Map<string, number>();
    /** A host that boots while nobody serves, for longer than it asks again. */
    let away = '';
    const firstReport = async (host: string) => {
      const told = 'select 1 from build_report r join build b on b.id = r.build where b.number = 2 and r.host = $1';
      await eventually(async () => (await i.query(told, [host])).length, 'it to begin its first boot');
      return i.world.machines.get(host);
    };
    for (;;) {
      const now = await eventually(async () => {
        const b = await buildOf(c, 2);
        const fresh = Object.entries(b.status.steps).find(
          ([id, s]) => s.state === 'running' && !met.has(kindOf.get(id) ?? '') && deep.has(kindOf.get(id) ?? ''),
        );
        return fresh || ['done', 'failed'].includes(b.status.state) ? { b, fresh } : undefined;
      }, 'a step of another kind, or the end');
      for (const [id, s] of Object.entries(now.b.status.steps)) if (s.state === 'done') done.set(id, s.attempt);
      if (!now.fresh) break;
      const [id] = now.fresh;
      const kind = kindOf.get(id) ?? '';
      met.add(kind);
      // Slowly enough to be met in the middle of it.
      if (kind === 'system') i.world.clock.setSpeed(60);
      const gone = kind === 'system' ? await firstReport(id.split('/')[0] as string) : undefined;
      await server.kill();
      if (gone) {
        // It gives up, or it comes as far as the gate: what it told on its way nobody has heard.
        away = id;
        i.world.clock.setSpeed(5000);
        await eventually(
          async () => gone.stage === 'waiting' || JSON.stringify(gone.log.slice(-3)).includes('stands still'),
          'it to come no further',
        );
        i.world.clock.setSpeed(600);
      }
      server = await serve();
    }
    const b = await builtOrBroken(c, 2);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    // Those that take long enough to be met at this speed.
    expect(['power', 'system', 'images'].filter((k) => !met.has(k))).toEqual([]);
    for (const [id, attempt] of done) expect([id, b.status.steps[id]?.attempt]).toEqual([id, attempt]);
    // Nobody had to see to it.
    expect(b.status.steps[away]?.healed.join()).toMatch(/had gone silent while nobody was here/);
    expect(b.proof?.every((x) => x.good)).toBe(true);
  }, 900_000);

  it('and nobody serves any more: a worker ends what was begun', async () => {
    const port = await freePort();
    const worker = await serve({ PRAESIDOR_ROLE: 'worker', PORT: String(port), PRAESIDOR_URL: i.config.publicUrl });
    try {
      const hosts = ['lr-02', 'lr-04', 'lr-06'];
      for (const h of hosts) i.plant('bmc-slow', h);
      const { work } = await c.good<{ work: { id: number } }>('POST', '/api/hosts/works', { kind: 'read', hosts, asked: {} });
      await server.kill();
      for (const h of hosts) i.lift('bmc-slow', h);
      await eventually(async () => {
        const [run] = await i.query<{ state: string }>('select state from run where id = $1', [work.id]);
        return run?.state === 'done';
      }, 'the work is done');
      const at = (path: string) => fetch(`http://127.0.0.1:${port}${path}`);
      expect((await (await at('/api/ready')).json()).ready).toBe(true);
      expect(await (await at('/metrics')).text()).toContain('praesidor_working{part="jobs"} 1');
      // It serves nobody: neither people, nor machines.
      for (const path of ['/', '/api/estate', '/api/sign-in', '/boot/x/user-data'])
        expect((await at(path)).status, path).toBe(404);
    } finally {
      await worker.kill();
    }
  });
});
/** Kinds of steps of such a change: at the first of each, the server is killed. */
const deep = new Set([
  'backup',
  'drain',
  'power',
  'system',
  'images',
  'control-plane',
  'quorum',
  'pod-network',
  'worker',
  'inbound',
  'proof',
]);
