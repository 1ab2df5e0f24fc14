import { type Doc, kinds, writeDocument } from '@praesidor/core/model';
import { hashPassword } from '@praesidor/registry';
import { spawn } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { type Client, eventually, Installation } from '../apps/server/test/installation.ts';
import { machine } from './hosts.ts';
import { median, percent, quietest, row } from './measure.ts';

const quantile = (list: readonly number[], q: number) =>
  [...list].sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * q))] as number;
const ms = (n: number) => `${n.toFixed(0)} ms`;

interface Asked {
  url: string;
  method: string;
  headers: Record<string, string>;
  /** `%3` becomes the number of the request by three, `%key` one of the keys in turn. */
  body?: string;
  keys?: string[];
}
/** Clients in a thread of their own, each of which asks again as soon as it has its answer; milliseconds of every answer. */
const clients = (asked: Asked, count: number, times: number) =>
  new Promise<number[]>((done, fail) => {
    const worker = new Worker(
      `const { parentPort, workerData: { asked, count, times } } = require('node:worker_threads');
       const { request, Agent } = require('node:http');
       const agent = new Agent({ keepAlive: true, maxSockets: count });
       let n = 0;
       const one = () => new Promise((done, fail) => {
         const k = n++;
         const body = asked.body?.replaceAll('%3', k % 3).replaceAll('%key', asked.keys?.[k % asked.keys.length]);
         const began = performance.now();
         const r = request(asked.url, { method: asked.method, agent, headers: asked.headers }, (res) => {
           res.resume().on('end', () => res.statusCode === 200 ? done(performance.now() - began) : fail(new Error('answered ' + res.statusCode)));
         });
         r.on('error', fail).end(body);
       });
       const took = [];
       Promise.all(Array.from({ length: count }, async () => { for (let k = 0; k < times; k++) took.push(await one()); }))
         .then(() => { parentPort.postMessage(took); agent.destroy(); });`,
      { eval: true, workerData: { asked, count, times } },
    );
    worker.once('message', done).once('error', fail);
  });

/** A line for one request: by one client, and by fifty at once. */
async function line(what: string, most: number, asked: Asked) {
  await clients(asked, 2, 5);
  const one = await clients(asked, 1, 30);
  const { value: fifty, stolen, rounds } = await quietest(() => clients(asked, 50, 20), 6);
  row(
    `${what}, 50 clients at once, on the demonstration`,
    `p99 ${ms(quantile(fifty, 0.99))}, median ${ms(median(fifty))}; one client: p99 ${ms(quantile(one, 0.99))}, median ${ms(median(one))}; ${percent(stolen)} of the processors taken by neighbours, quietest of ${rounds} rounds`,
    `p99 ≤ ${most} ms`,
    quantile(fifty, 0.99) <= most,
  );
}

/**
 * Asks for something every few milliseconds from a thread of its own, and tells the longest that it waited. What the thread
 * takes to make its first connection and to load its client is none of that: it has asked twenty times before the act begins.
 */
export async function meanwhile<T>(url: string, act: () => Promise<T>): Promise<{ value: T; worst: number; times: number }> {
  const worker = new Worker(
    `const { parentPort, workerData } = require('node:worker_threads');
     let stop = false; parentPort.on('message', () => { stop = true; });
     (async () => {
       for (let k = 0; k < 20; k++) await (await fetch(workerData)).text();
       parentPort.postMessage('ready');
       const took = [];
       while (!stop) { const t = performance.now(); await (await fetch(workerData)).text(); took.push(performance.now() - t); await new Promise((r) => setTimeout(r, 5)); }
       parentPort.postMessage(took); parentPort.close();
     })();`,
    { eval: true, workerData: url },
  );
  const next = <M>() => new Promise<M>((done, fail) => worker.once('message', done).once('error', fail));
  await next<'ready'>();
  const told = next<number[]>();
  const value = await act();
  worker.postMessage('stop');
  const took = await told;
  return { value, worst: Math.max(0, ...took), times: took.length };
}

/** The registry as it runs, in a process of its own; forty clients in a thread of their own, each from another address. */
async function wrongLogins() {
  const dir = mkdtempSync(join(tmpdir(), 'log-ins-'));
  const config = join(dir, 'registry.json');
  const users = { puller: { password: await hashPassword('right'), writes: true } };
  writeFileSync(
    config,
    JSON.stringify({ dir: join(dir, 'content'), address: '127.0.0.1', port: 0, users, scheme: 'basic', keepFree: 0 }),
  );
  const main = join(import.meta.dirname, '../packages/registry/src/main.ts');
  const registry = spawn(process.execPath, ['--import', 'tsx', main, 'serve', config], { stdio: ['ignore', 'pipe', 'inherit'] });
  const port = await new Promise<string>((done) => {
    registry.stdout.on('data', (d: Buffer) => {
      const found = /port (\d+)/.exec(d.toString())?.[1];
      if (found) done(found);
    });
  });
  const url = `http://127.0.0.1:${port}`;
  const authorization = `Basic ${Buffer.from('puller:right').toString('base64')}`;
  const bytes = randomBytes(4_000_000);
  const digest = `sha256:${createHash('sha256').update(bytes).digest('hex')}`;
  await fetch(`${url}/v2/a/blobs/uploads/?digest=${digest}`, { method: 'POST', headers: { authorization }, body: bytes });
  const pulls = async (n: number) => {
    const out: number[] = [];
    for (let k = 0; k < n; k++) {
      const began = performance.now();
      await (await fetch(`${url}/v2/a/blobs/${digest}`, { headers: { authorization } })).arrayBuffer();
      out.push(performance.now() - began);
    }
    return out;
  };
  const wrong = new Worker(
    `const { parentPort, workerData: { port } } = require('node:worker_threads');
     const { request } = require('node:http');
     let on = false, n = 0, said = {};
     parentPort.on('message', (m) => { if (m === 'end') { parentPort.postMessage(said); parentPort.close(); clearInterval(timer); } else on = m; });
     const timer = setInterval(() => {
       if (!on) return;
       for (let k = 0; k < 40; k++) {
         const authorization = 'Basic ' + Buffer.from('puller:wrong ' + n++).toString('base64');
         request({ host: '127.0.0.1', port, path: '/v2/', localAddress: '127.0.1.' + (k + 1), headers: { authorization } }, (r) => {
           said[r.statusCode] = (said[r.statusCode] ?? 0) + 1; r.resume();
         }).on('error', () => undefined).end();
       }
     }, 1000);`,
    { eval: true, workerData: { port } },
  );
  await pulls(30);
  const quiet: number[] = [];
  const loaded: number[] = [];
  // In turn: quiet, then with forty wrong log-ins at once in every second.
  for (let round = 0; round < 8; round++) {
    wrong.postMessage(false);
    quiet.push(...(await pulls(60)));
    wrong.postMessage(true);
    loaded.push(...(await pulls(60)));
  }
  const said = new Promise<Record<string, number>>((done) => wrong.once('message', done));
  wrong.postMessage('end');
  const answers = Object.entries(await said)
    .map(([status, n]) => `${n} × ${status}`)
    .join(', ');
  registry.kill('SIGTERM');
  rmSync(dir, { recursive: true, force: true });
  const rise = median(loaded) / median(quiet) - 1;
  row(
    'pull of 4 MB from the registry with 40 wrong log-ins at once in every second',
    `median ${median(loaded).toFixed(1)} ms; without them ${median(quiet).toFixed(1)} ms; ${percent(rise)} more; answered ${answers}`,
    'median rises by ≤ 20 %',
    rise <= 0.2,
  );
}

/** Reservations in a network of their own, another one in each round. */
const reservations = (n: number, round: number): Doc[] =>
  Array.from({ length: n }, (_, k) =>
    kinds.Reservation.parse({
      kind: 'Reservation',
      network: `bench-${round}`,
      address: `10.${200 + round}.${1 + (k >> 8)}.${k & 255}`,
      owner: { kind: 'hand', name: 'bench' },
    }),
  );
const benchNetwork = (round: number) =>
  kinds.Network.parse({
    ...{ kind: 'Network', name: `bench-${round}`, site: 'bw', purpose: 'machine' },
    ...{ prefix: `10.${200 + round}.0.0/16`, vlan: 4001 + round },
  });
const textOf = (docs: readonly Doc[]) => docs.map(writeDocument).join('---\n');

async function large(i: Installation, c: Client) {
  const health = `${i.config.publicUrl}/api/health`;
  let round = 0;
  const oneImport = async () => {
    const n = round++;
    await c.good('POST', '/api/import', { text: textOf([benchNetwork(n)]) });
    const text = textOf(reservations(5000, n));
    return meanwhile(health, async () => {
      const began = performance.now();
      await c.good('POST', '/api/import', { text });
      return (performance.now() - began) / 1000;
    });
  };
  await oneImport();
  const q = await quietest(oneImport, 4);
  const took = q.value;
  const quiet = `${percent(q.stolen)} of the processors taken by neighbours, quietest of ${q.rounds} rounds`;
  row('import of 5,000 reservations', `${took.value.toFixed(2)} s; ${quiet}`, '≤ 2 s', took.value <= 2);
  row(
    'health while they are imported',
    `${ms(took.worst)} at the longest, of ${took.times}; ${quiet}`,
    '≤ 50 ms',
    took.worst <= 50,
  );

  const hosts = Array.from({ length: 10_000 }, (_, k) => machine(k)) as Doc[];
  const much = textOf(hosts);
  const memory = () => process.memoryUsage().rss / 1e6;
  const peak = async <T>(act: () => Promise<T>) => {
    const before = memory();
    let most = before;
    const timer = setInterval(() => {
      most = Math.max(most, memory());
    }, 20);
    const began = performance.now();
    await act();
    clearInterval(timer);
    return { seconds: (performance.now() - began) / 1000, more: most - before };
  };
  const inn = await peak(() => c.good('POST', '/api/import', { text: much }));
  row(
    `import of 10,000 hosts, ${(much.length / 1e6).toFixed(0)} MB of YAML`,
    `${inn.seconds.toFixed(1)} s, ${inn.more.toFixed(0)} MB more memory`,
    '≤ 10 s, ≤ 300 MB',
    inn.seconds <= 10 && inn.more <= 300,
  );
  let bytes = 0;
  const out = await peak(async () => {
    const r = await fetch(`${i.config.publicUrl}/api/export`, { headers: { cookie: c.cookie } });
    for await (const chunk of r.body as unknown as AsyncIterable<Uint8Array>) bytes += chunk.length;
  });
  row(
    `export of 10,000 hosts and the reservations, ${(bytes / 1e6).toFixed(0)} MB`,
    `${out.seconds.toFixed(1)} s, ${out.more.toFixed(0)} MB more memory`,
    '≤ 10 s, ≤ 300 MB',
    out.seconds <= 10 && out.more <= 300 && bytes > much.length,
  );
}

/** What must hold when many come at once. */
export async function ground() {
  await wrongLogins();
  const i = await new Installation().start({ whole: true, speed: 600 });
  const c = await i.as('warden');
  await eventually(async () => Object.keys((await c.estate()).observed.registries).length >= 5, 'registries seen');
  const url = i.config.publicUrl;
  const headers = { cookie: c.cookie, 'accept-encoding': 'gzip' };
  await line('/api/estate', 500, { url: `${url}/api/estate`, method: 'GET', headers });
  await line('/api/acts', 150, { url: `${url}/api/acts`, method: 'GET', headers });
  await line('/api/edits', 250, {
    keys: (await c.estate()).networks.map((n) => n.name),
    url: `${url}/api/edits`,
    method: 'POST',
    headers: { ...headers, 'content-type': 'application/json', 'x-csrf-token': c.csrf },
    body: JSON.stringify({
      why: 'bench',
      edits: [{ op: 'set', kind: 'Network', key: '%key', path: ['mtu'], value: 0 }],
    }).replace('"value":0', '"value":1%3%3%3'),
  });
  await large(i, c);
  await i.stop();
}
