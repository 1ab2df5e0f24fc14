import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { serveApart } from '../apps/server/test/apart.ts';
import { Client, eventually, Installation } from '../apps/server/test/installation.ts';
import { median, row } from './measure.ts';

const readers = 20;
const browsers = 100;
const of = '10,000 hosts at 300 sites with 300 charters';
const took = async <T>(act: () => Promise<T>): Promise<{ ms: number; value: T }> => {
  const began = performance.now();
  const value = await act();
  return { ms: performance.now() - began, value };
};
const seconds = (ms: number) => `${(ms / 1000).toFixed(1)} s`;
const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(1)} MB`;
/** A figure of a process in proc(5), in bytes. */
const figure = (pid: number, name: string) =>
  1024 * Number(new RegExp(`^${name}:\\s+(\\d+) kB`, 'm').exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? Number.NaN);

/** A large estate as its users have it: loaded, taken out and in again, looked at by many, edited before the eyes of a hundred. */
export async function large(): Promise<void> {
  const i = await new Installation().start({ empty: true, serve: false });
  let server: Awaited<ReturnType<typeof serveApart>> | undefined;
  try {
    const seed = await took(async () => seedInto(i));
    row(`load of ${of}`, seconds(seed.ms), '≤ 20 s', seed.ms <= 20_000);
    server = await serveApart(i);
    const c = new Client(i.config.publicUrl);
    await c.signIn('warden', i.password);
    await c.good('GET', '/api/estate?for=page');

    const headers = { cookie: c.cookie, 'x-csrf-token': c.csrf };
    const out = await took(async () => (await fetch(`${i.config.publicUrl}/api/export`, { headers })).text());
    row(`export of it, ${megabytes(out.value.length)}`, seconds(out.ms), '≤ 10 s', out.ms <= 10_000);
    await takenIn(out.value);
    await manyReaders(i, server.pid);
    await seenByAll(i, c);
  } finally {
    await server?.kill();
    await i.stop();
  }
}

function seedInto(i: Installation): void {
  const seed = spawnSync(
    process.execPath,
    [
      ...['--conditions=@praesidor/source', '--import', 'tsx'],
      ...[join(import.meta.dirname, '../scripts/lib/seed.ts'), '--database', i.config.databaseUrl],
    ],
    { encoding: 'utf8', env: { ...process.env, PRAESIDOR_KEY: i.config.keyringKey.toString('hex') } },
  );
  if (seed.status !== 0) throw new Error(seed.stderr);
}

/** What came out goes into an installation that has nothing. */
async function takenIn(text: string): Promise<void> {
  const i = await new Installation().start({ empty: true, serve: false });
  const server = await serveApart(i);
  try {
    const c = new Client(i.config.publicUrl);
    await c.signIn('warden', i.password);
    const { ms } = await took(() => c.good('POST', '/api/import', { text }));
    const { hosts } = await c.estate();
    row(
      `import of it into an empty installation, ${hosts.length} hosts`,
      seconds(ms),
      '≤ 10 s',
      ms <= 10_000 && hosts.length === 10_000,
    );
  } finally {
    await server.kill();
    await i.stop();
  }
}

/** Readers that open the estate as a page does, each with a stream of events: how much the server takes at most. */
async function manyReaders(i: Installation, pid: number): Promise<void> {
  // From here on the most is counted anew (proc(5), clear_refs).
  writeFileSync(`/proc/${pid}/clear_refs`, '5');
  const all = await Promise.all(
    Array.from({ length: readers }, async () => {
      const c = new Client(i.config.publicUrl);
      await c.signIn('reader', i.password);
      return { c, stream: await openStream(c, () => undefined) };
    }),
  );
  const times: number[] = [];
  for (let round = 0; round < 3; round++)
    await Promise.all(all.map(async ({ c }) => times.push((await took(() => c.good('GET', '/api/estate?for=page'))).ms)));
  for (const { stream } of all) stream.abort();
  const most = figure(pid, 'VmHWM');
  row(
    `the server with ${readers} readers of ${of}`,
    `${megabytes(most)} resident at most; each has the whole after ${seconds(median(times))} at the median`,
    '≤ 600 MB',
    most <= 600e6,
  );
}

/** A stream of events; each that tells of something is given on. */
async function openStream(c: Client, heard: (text: string) => void): Promise<AbortController> {
  const end = new AbortController();
  const r = await fetch(`${c.url}/api/events`, { headers: { cookie: c.cookie }, signal: end.signal });
  const reader = (r.body as ReadableStream<Uint8Array>).getReader();
  void (async () => {
    for (;;) {
      const part = await reader.read();
      if (part.done) return;
      heard(Buffer.from(part.value).toString());
    }
  })().catch(() => undefined);
  return end;
}

/** A hundred others have the estate open; somebody edits: until each of them has what changed, as a page asks for it. */
async function seenByAll(i: Installation, c: Client): Promise<void> {
  const { state } = await c.good<{ state: string }>('GET', '/api/estate?for=page');
  const { charters } = await c.estate();
  const charter = charters[3]?.name ?? '';
  const all = await Promise.all(
    Array.from({ length: browsers }, async () => {
      const of = { client: new Client(i.config.publicUrl), state, seen: 0, stream: undefined as AbortController | undefined };
      // One account in a hundred browsers, as far as the server is concerned: a session is looked up each time.
      of.client.cookie = c.cookie;
      of.stream = await openStream(of.client, (text) => {
        if (!text.includes('"kind":"Charter"')) return;
        void of.client
          .good<{ state: string; difference?: unknown }>('GET', `/api/estate?for=page&since=${encodeURIComponent(of.state)}`)
          .then((d) => {
            if (!d.difference) return;
            of.state = d.state;
            of.seen = performance.now();
          });
      });
      return of;
    }),
  );
  const last: number[] = [];
  for (let n = 0; n < 5; n++) {
    for (const b of all) b.seen = 0;
    const began = performance.now();
    await c.good('POST', '/api/edits', {
      why: 'seen',
      edits: [{ op: 'set', kind: 'Charter', key: charter, path: ['purpose'], value: `seen ${n}` }],
    });
    await eventually(async () => all.every((b) => b.seen > 0), 'all to have seen it');
    last.push(Math.max(...all.map((b) => b.seen)) - began);
  }
  for (const b of all) b.stream?.abort();
  row(
    `an edit in ${of}, until ${browsers} others have it`,
    `${median(last).toFixed(0)} ms (${last.map((t) => t.toFixed(0)).join(', ')}), from the act to the last of them`,
    '≤ 1,000 ms',
    median(last) <= 1000,
  );
}
