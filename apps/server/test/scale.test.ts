import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ServerEvent } from '@praesidor/contract';
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

/**
 * Three servers and two workers of one installation on one PostgreSQL, behind Debian's HAProxy as docs/front has it for three servers:
 *
 *     people, machines ── HAProxy ──┬── one ───┐
 *                                   ├── two ───┼── PostgreSQL, one folder
 *                                   └── three ─┤
 *                         first worker, second ┘
 */
const program = '/usr/sbin/haproxy';
const able = existsSync(program);
if (!able) process.stderr.write('haproxy is not there: several servers are not tried.\n');
const names = ['one', 'two', 'three'] as const;
interface Postgres {
  port: number;
  url: (database: string) => string;
  stop: () => Promise<void>;
  dir: string;
}

describe.runIf(able)('three servers and two workers behind HAProxy', () => {
  const i = new Installation();
  const ports = new Map<string, number>();
  const processes = new Map<string, Awaited<ReturnType<typeof serveApart>>>();
  let dir = '';
  let pg: Postgres;
  let front: ChildProcess;
  let c: Client;
  /** What HAProxy put down of each request: `servers/one`, and what was asked. */
  let log = '';
  const start = async () => {
    pg = (await startPostgres(join(dir, 'postgres'), pg?.port ?? (await freePort()), { lasting: true })) as Postgres;
  };
  const serve = async (name: string, role: 'server' | 'worker') => {
    const port = ports.get(name) ?? (await freePort());
    ports.set(name, port);
    processes.set(name, await serveApart(i, { PORT: String(port), PRAESIDOR_ROLE: role, PRAESIDOR_TRUST_PROXY: '127.0.0.1' }));
  };
  const at = (name: string, path: string, init: RequestInit = {}) =>
    fetch(`http://127.0.0.1:${ports.get(name)}${path}`, {
      ...init,
      headers: { cookie: c.cookie, 'x-csrf-token': c.csrf, ...init.headers },
    });
  const ready = (name: string) =>
    at(name, '/api/ready').then(
      (r) => r.status === 200,
      () => false,
    );
  /** Which servers answered requests that begin so, through HAProxy. */
  const answered = (path: string) =>
    new Set(
      [...log.matchAll(/ servers\/(\w+) .*?"[A-Z]+ (\S+) /g)].filter((m) => m[2]?.startsWith(path)).map((m) => m[1] as string),
    );

  beforeAll(async () => {
    dir = mkdtempSync(join(tmpdir(), 'scale-'));
    await start();
    createDatabase(pg, 'praesidor');
    const port = await freePort();
    await i.start({
      serve: false,
      speed: 600,
      database: { url: pg.url('praesidor'), drop: async () => undefined },
      // People and machines know the address in front.
      settings: { publicUrl: `http://127.0.0.1:${port}` },
    });
    await Promise.all([...names.map((n) => serve(n, 'server')), serve('first', 'worker'), serve('second', 'worker')]);
    let text = readFileSync(join(import.meta.dirname, '../../../docs/front/haproxy-three-servers.cfg'), 'utf8')
      // TLS is tried by another suite.
      .replace(/bind :443 .*/, `bind 127.0.0.1:${port}`)
      .replace('set-header x-forwarded-proto https', 'set-header x-forwarded-proto http');
    names.forEach((n, k) => {
      text = text.replaceAll(`10.62.7.8${k + 1}:8080`, `127.0.0.1:${ports.get(n)}`);
    });
    const file = join(dir, 'haproxy.cfg');
    writeFileSync(file, text);
    execFileSync(program, ['-c', '-f', file], { stdio: 'pipe' });
    front = spawn(program, ['-db', '-f', file], { stdio: ['ignore', 'pipe', 'ignore'] });
    front.stdout?.on('data', (d) => {
      log += d;
    });
    c = new Client(i.config.publicUrl);
    await eventually(async () => (await c.call('GET', '/api/ready').catch(() => undefined))?.status === 200, 'the front answers');
    await c.signIn('warden', i.password);
  });
  afterAll(async () => {
    for (const p of processes.values()) await p.kill();
    front?.kill('SIGTERM');
    await i.stop();
    await pg?.stop();
    if (pg) rmSync(pg.dir, { recursive: true, force: true });
    rmSync(dir, { recursive: true, force: true });
  });

  it('a session is good at each, whichever made it, and ended at all', async () => {
    const other = new Client(i.config.publicUrl);
    await other.signIn('reader', i.password);
    for (let n = 0; n < 9; n++) await other.good('GET', '/api/me/sessions');
    await eventually(async () => answered('/api/me/sessions').size === 3, 'each of them to have answered');
    const asks = () =>
      Promise.all(names.map(async (n) => (await at(n, '/api/me', { headers: { cookie: other.cookie } })).status));
    expect(await asks()).toEqual([200, 200, 200]);
    expect((await other.call('POST', '/api/sign-out')).status).toBeLessThan(300);
    expect(await asks()).toEqual([401, 401, 401]);
  });

  it('what happens at one is told on the streams of all, in the same order', async () => {
    const streams = names.map((n) => stream(at(n, '/api/events')));
    await eventually(async () => streams.every((s) => s.open()), 'the streams to be open');
    for (const [k, n] of names.entries())
      await at(n, '/api/edits', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({
          why: 'told',
          edits: [{ op: 'set', kind: 'Charter', key: 'tern', path: ['purpose'], value: `told ${k}` }],
        }),
      }).then((r) => expect(r.status, n).toBe(200));
    await eventually(
      async () => streams.every((s) => s.of('Charter').length === 3),
      () => `three edits on each stream; there are ${streams.map((s) => s.of('Charter').length)}`,
    );
    const ids = streams.map((s) => s.of('Charter').map((e) => e.id));
    expect(ids[1]).toEqual(ids[0]);
    expect(ids[2]).toEqual(ids[0]);
    for (const s of streams) s.close();
  });

  it('a case is packed by one, read at each byte for byte, and taken in at another', async () => {
    await prepare(c);
    const { shipment } = await c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
      target: 'lr-registry',
      bills: ['1.33.6'],
      way: 'case',
    });
    const { label } = shipment;
    await c.good('POST', `/api/shipments/${label}/start`);
    await shipmentIn(c, label, 'packed');
    const read = await Promise.all(
      names.map(async (n) => Buffer.from(await (await at(n, `/api/shipments/${label}/cases/1`)).arrayBuffer())),
    );
    const sums = read.map((b) => createHash('sha256').update(b).digest('hex'));
    expect(read[0]?.length).toBeGreaterThan(100_000);
    expect(new Set(sums).size).toBe(1);
    // Carried in through the front, whichever takes it; each lands it.
    const r = await fetch(`${i.config.publicUrl}/api/cases`, {
      method: 'POST',
      headers: { cookie: c.cookie, 'x-csrf-token': c.csrf, 'content-type': 'application/x-tar' },
      body: new Uint8Array(read[0] as Buffer),
    });
    expect([r.status, await r.json()]).toEqual([201, expect.objectContaining({ label, number: 1, bad: [] })]);
    await c.good('POST', `/api/shipments/${label}/start`);
    expect((await shipmentIn(c, label, 'landed')).state).toBe('landed');
  });

  it('a kit of a starter registry is made by one and taken at another, once at all of them', async () => {
    const made = await at('one', '/api/registries/lr-registry/kit', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: '{"days":30}',
    });
    expect(made.status).toBe(201);
    const { id } = (await made.json()) as { id: string };
    const taken = await at('two', `/api/kits/${id}`);
    expect(taken.status).toBe(200);
    expect(
      Buffer.from(await taken.arrayBuffer())
        .subarray(0, 2)
        .toString('hex'),
    ).toBe('1f8b');
    expect(await Promise.all(names.map(async (n) => (await at(n, `/api/kits/${id}`)).status))).toEqual([404, 404, 404]);
  });

  it('a build goes on when a server and a worker are killed, and PostgreSQL is restarted, under load: nothing that was acknowledged is lost', async () => {
    const load = people(c, 6);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    const pulling = async () =>
      Object.entries((await buildOf(c)).status.steps).some(([id, s]) => id.endsWith('/images') && s.state === 'running');
    await eventually(pulling, 'images being pulled');

    // One server and one worker end without a word.
    await Promise.all([processes.get('one')?.kill(), processes.get('first')?.kill()]);
    const then = load.counts();
    await eventually(async () => load.counts().acknowledged > then.acknowledged + 20, 'people to go on working');
    // What only read was answered by another, but for an answer that was half sent (0); what was being changed there is cut off (0) or said to be (502), and nobody knows whether it was done.
    expect(load.counts().reads.filter((s) => ![200, 0].includes(s))).toEqual([]);
    expect(load.counts().writes.filter((s) => ![200, 502, 0].includes(s))).toEqual([]);
    await Promise.all([serve('one', 'server'), serve('first', 'worker')]);

    await pg.stop();
    // It is said by the servers, and not by what is in front.
    const said = await eventually(async () => {
      const a = await c.call<{ code: string }>('GET', '/api/acts?limit=5').catch(() => ({ status: 0, body: { code: 'none' } }));
      return /\d NOSRV |<NOSRV>| unready\//.test(log) && a;
    }, 'the front to know no server that is ready');
    expect([said.status, said.body.code]).toEqual([503, 'away']);
    await start();
    await eventually(async () => (await Promise.all([...processes.keys()].map(ready))).every(Boolean), 'all five to be ready');
    const back = load.counts().acknowledged;
    await eventually(async () => load.counts().acknowledged > back + 20, 'people to go on working');
    i.world.clock.setSpeed(2000);
    const b = await builtOrBroken(c);
    await load.end();
    expect(load.counts().reads.filter((s) => ![200, 503, 0].includes(s))).toEqual([]);
    expect(load.counts().writes.filter((s) => ![200, 502, 503, 0].includes(s))).toEqual([]);

    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.every((p) => p.good)).toBe(true);
    // Hosts fetched what they boot from at whichever answered.
    expect(answered('/boot/').size).toBe(3);
    // Every change stands on record.
    const record = await i.query<{ text: string }>('select concat(subject, detail, changes) as text from audit');
    const kept = new Set(record.flatMap((r) => r.text.match(/written \d+/g) ?? []));
    expect(load.acknowledged().filter((w) => !kept.has(w))).toEqual([]);
  });
});

/** A stream of events, as far as it was read. */
function stream(answer: Promise<Response>) {
  const came: ServerEvent[] = [];
  let open = false;
  let reader: ReadableStreamDefaultReader<Uint8Array> | undefined;
  void answer.then(async (r) => {
    reader = r.body?.getReader();
    let rest = '';
    for (;;) {
      const part = await reader?.read().catch(() => undefined);
      if (!part || part.done) return;
      rest += Buffer.from(part.value).toString();
      open ||= rest.includes('retry:');
      const lines = rest.split('\n');
      rest = lines.pop() ?? '';
      for (const l of lines) if (l.startsWith('data: ')) came.push(JSON.parse(l.slice(6)) as ServerEvent);
    }
  });
  return {
    open: () => open,
    of: (kind: string) => came.filter((e) => e.kind === kind),
    close: () => void reader?.cancel().catch(() => undefined),
  };
}

/** People who read and change without pause: what they were answered, and what of their changes was acknowledged. */
function people(c: Client, many: number) {
  const acknowledged: string[] = [];
  const reads = new Set<number>();
  const writes = new Set<number>();
  let stop = false;
  let n = 0;
  const one = async () => {
    while (!stop) {
      // The estate takes long enough that a server dies in the middle of it.
      for (const path of ['/api/acts?limit=5', '/api/estate', '/api/estate'])
        reads.add((await c.call('GET', path).catch(() => ({ status: 0 }))).status);
      const text = `written ${++n}`;
      const w = await c
        .call('POST', '/api/edits', {
          why: text,
          edits: [{ op: 'set', kind: 'Charter', key: 'tern', path: ['purpose'], value: text }],
        })
        .catch(() => ({ status: 0 }));
      writes.add(w.status);
      if (w.status === 200) acknowledged.push(text);
      await new Promise((go) => setTimeout(go, 50));
    }
  };
  const all = Array.from({ length: many }, one);
  return {
    counts: () => ({ acknowledged: acknowledged.length, reads: [...reads].sort(), writes: [...writes].sort() }),
    acknowledged: () => acknowledged,
    end: async () => {
      stop = true;
      await Promise.all(all);
    },
  };
}
