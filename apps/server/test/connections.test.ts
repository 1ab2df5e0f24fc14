import { type AddressInfo, connect, createServer, type Socket } from 'node:net';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openDatabase } from '../src/db/data-source.ts';
import { isAway } from '../src/db/errors.ts';
import { eventually, privateDatabase } from './installation.ts';

const ready = Buffer.from([0x5a, 0, 0, 0, 5, 0x49]);
const field = (kind: string, text: string) => `${kind}${text}\0`;
const body = Buffer.from(
  `${field('S', 'FATAL')}${field('C', '57P01')}${field('M', 'terminating connection due to administrator command')}\0`,
);
/** ErrorResponse of PostgreSQL's protocol, version 3: type, length with itself, fields, end. */
const ended = Buffer.concat([Buffer.from('E'), Buffer.from([0, 0, 0, body.length + 4]), body]);

/** PostgreSQL behind a wire that, when asked, ends each new connection in the very packet that opens it. */
let database: Awaited<ReturnType<typeof privateDatabase>>;
let cutting = false;
let cuts = 0;
const open = new Set<Socket>();
const wire = createServer((near) => {
  const { hostname, port } = new URL(database.url);
  const far = connect(Number(port), hostname);
  for (const s of [near, far]) {
    open.add(s);
    s.on('error', () => undefined).on('close', () => open.delete(s));
  }
  near.on('data', (d) => far.write(d)).on('close', () => far.destroy());
  far.on('close', () => near.end());
  let opened = false;
  far.on('data', (d) => {
    const opens = !opened && d.subarray(-ready.length).equals(ready);
    opened ||= opens;
    if (!(opens && cutting)) return void near.write(d);
    cuts++;
    near.end(Buffer.concat([d, ended]));
  });
});

beforeAll(async () => {
  database = await privateDatabase();
  await new Promise<void>((done) => wire.listen(0, '127.0.0.1', done));
});
afterAll(async () => {
  for (const s of open) s.destroy();
  wire.close();
  await database.drop();
});

it('a transaction that loses its connection between two statements is told that the database is away, and the next one has another', async () => {
  const db = await openDatabase(database.url);
  try {
    const lost = await db
      .transaction(async (m) => {
        const [{ pid }] = (await m.query('select pg_backend_pid() as pid')) as [{ pid: number }];
        await db.query('select pg_terminate_backend($1)', [pid]);
        await eventually(async () => m.queryRunner?.isReleased, 'the connection to be seen gone');
        await m.query('select 7');
      })
      .catch((e: unknown) => e);
    expect(isAway(lost), String(lost)).toBe(true);
    expect(await db.transaction((m) => m.query('select 7 as n'))).toEqual([{ n: 7 }]);
  } finally {
    await db.destroy();
  }
});

it('a connection that PostgreSQL ends in the packet that opened it fails its statement, and ends nothing else', async () => {
  const url = new URL(database.url);
  url.port = String((wire.address() as AddressInfo).port);
  const uncaught: Error[] = [];
  const caught = process.listeners('uncaughtException');
  process.removeAllListeners('uncaughtException');
  process.on('uncaughtException', (e) => uncaught.push(e));
  try {
    const db = await openDatabase(url.href);
    cutting = true;
    const asked = await Promise.allSettled(Array.from({ length: 6 }, () => db.query('select pg_sleep(0.2)')));
    cutting = false;
    // What was open already is used first; the others are new.
    expect(cuts).toBeGreaterThanOrEqual(3);
    expect(asked.filter((a) => a.status === 'rejected').length).toBe(cuts);
    expect(uncaught).toEqual([]);
    expect(await db.query('select 7 as n')).toEqual([{ n: 7 }]);
    await db.destroy();
  } finally {
    process.removeAllListeners('uncaughtException');
    for (const l of caught) process.on('uncaughtException', l);
  }
});
