import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Charter, Host } from '@praesidor/core/model';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { seal, sealBytes } from '../src/auth/seal.ts';
import { type Running, startServer } from '../src/app.ts';
import { Client, freePort, Installation, privateDatabase } from './installation.ts';

/** What the operations guide says of backups and of another key, done as it stands there: by pg_dump, pg_restore and the command of the server. */
const i = new Installation();
let c: Client;
const dir = mkdtempSync(join(tmpdir(), 'restore-'));
const root = join(import.meta.dirname, '../../..');
const guide = readFileSync(join(root, 'docs/operations.md'), 'utf8');
/** A command of the guide, by what it begins with. */
const told = (begins: string): string => {
  const found = guide.match(new RegExp(`\`(${begins} [^\`]+)\``))?.[1];
  if (!found) throw new Error(`the guide has no command that begins with ${begins}`);
  return found;
};
const shell = (command: string, env: Record<string, string>) =>
  execFileSync('sh', ['-c', command], { cwd: dir, env: { ...process.env, ...env }, encoding: 'utf8', stdio: 'pipe' });
const dropped: (() => Promise<void>)[] = [];
const fresh = async () => {
  const d = await privateDatabase();
  dropped.push(d.drop);
  return d.url;
};
/** A server over another database, in the same world, for one question. */
async function over<T>(databaseUrl: string, key: Buffer, ask: (as: Client, running: Running) => Promise<T>): Promise<T> {
  const port = await freePort();
  const running = await startServer({ ...i.config, databaseUrl, keyringKey: key, port, publicUrl: `http://127.0.0.1:${port}` });
  try {
    const client = new Client(`http://127.0.0.1:${port}`);
    await client.signIn('warden', i.password);
    return await ask(client, running);
  } finally {
    await running.close();
  }
}
/** Looks at a registry, which is signed in to with what the keyring keeps. */
const reads = async (as: Client) => {
  const a = await as.call<{ seen?: { error?: string | null } }>('POST', '/api/registries/lr-registry/look');
  return [a.status, a.body.message ?? a.body.seen?.error ?? 'read'];
};

beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
  expect(await reads(c)).toEqual([200, 'read']);
  // A secret of every kind: of the installation, of a cluster, and a backup of etcd in two pieces.
  await c.good('GET', '/api/installations');
  const { config } = i;
  await i.query("insert into cluster_secret (charter, name, about, sealed) values ('tern', 'ca.key', '{}', $1)", [
    seal(config.keyringKey, 'a key of tern', 'cluster tern ca.key'),
  ]);
  await i.query("insert into etcd_backup (id, charter, member, bytes, kept) values (77, 'tern', 'bw-01', 12, true)");
  for (const [n, text] of ['begin-', 'finish'].entries())
    await i.query('insert into etcd_backup_piece (backup, n, sealed) values (77, $1, $2)', [
      n,
      sealBytes(config.keyringKey, Buffer.from(text), `etcd backup 77 ${n}`),
    ]);
  await c.good('POST', '/api/edits', {
    why: 'before',
    edits: [{ op: 'set', kind: 'Host', key: 'bw-01', path: ['height'], value: 2 }],
  });
});
afterAll(async () => {
  await i.stop();
  for (const drop of dropped) await drop();
  rmSync(dir, { recursive: true, force: true });
});

describe('a backup of the database', () => {
  let restored = '';
  it('is made while the server runs, and goes into an empty database as it was', async () => {
    shell(told('pg_dump'), { DATABASE_URL: i.config.databaseUrl });
    // What comes after it is not in it.
    await c.good('POST', '/api/edits', {
      why: 'after',
      edits: [{ op: 'set', kind: 'Host', key: 'bw-01', path: ['height'], value: 3 }],
    });
    restored = await fresh();
    shell(told('pg_restore'), { DATABASE_URL: restored });
    const before = await c.estate();
    await i.running.close();
    await over(restored, i.config.keyringKey, async (as) => {
      const e = await as.estate();
      const height = (list: readonly Host[]) => list.find((h) => h.name === 'bw-01')?.height;
      expect([height(before.hosts), height(e.hosts)]).toEqual([3, 2]);
      for (const list of ['sites', 'networks', 'charters', 'reservations', 'registries', 'templates'] as const)
        expect(e[list]).toEqual(before[list]);
      expect(e.charters.length).toBeGreaterThan(3);
    });
  });
  it('has a record whose seal holds, and secrets that open with the same key', async () => {
    await over(restored, i.config.keyringKey, async (as) => {
      expect(await as.good('GET', '/api/acts/seal')).toMatchObject({ broken: [] });
      expect(await reads(as)).toEqual([200, 'read']);
      // And it is worked with: what is changed there is kept.
      const charter = (await as.estate()).charters.find((x) => x.name === 'gannet') as Charter;
      await as.good('POST', '/api/edits', {
        why: 'x',
        edits: [{ op: 'put', doc: { ...charter, purpose: 'after the restore' } }],
      });
      expect((await as.estate()).charters.find((x) => x.name === 'gannet')?.purpose).toBe('after the restore');
    });
  });
  it('opens with no other key', async () => {
    await over(restored, randomBytes(32), async (as) => {
      expect(await reads(as)).toEqual([200, 'The key of this server does not open lr-registry of the keyring.']);
    });
  });
});

describe('another key for the keyring', () => {
  const next = randomBytes(32);
  const rotate = (from: Buffer, to: Buffer) =>
    execFileSync('node', ['--import', 'tsx', 'apps/server/src/setup/admin.ts', 'keyring', 'rotate-key'], {
      cwd: root,
      env: { ...process.env, ...i.env(), PRAESIDOR_KEY: from.toString('hex'), PRAESIDOR_NEW_KEY: to.toString('hex') },
      encoding: 'utf8',
      stdio: 'pipe',
    });
  it('knows every table that keeps something sealed', async () => {
    const source = readFileSync(join(root, 'apps/server/src/setup/rotate-key.ts'), 'utf8');
    const tables = await i.query<{ t: string; c: string }>(
      "select table_name as t, column_name as c from information_schema.columns where table_schema = 'public' and data_type = 'bytea' and column_name ~ 'sealed|secret'",
    );
    expect(tables.length).toBeGreaterThan(2);
    expect(tables.filter((x) => !source.includes(`table: '${x.t}'`))).toEqual([]);
  });
  it('changes nothing at all when the old one is wrong', async () => {
    const before = await i.query('select name, sealed from keyring order by name');
    expect(() => rotate(randomBytes(32), next)).toThrow(/PRAESIDOR_KEY does not open/);
    expect(await i.query('select name, sealed from keyring order by name')).toEqual(before);
  });
  it('opens all that the old one opened, and the old one opens nothing any more', async () => {
    rotate(i.config.keyringKey, next);
    await over(i.config.databaseUrl, next, async (as) => {
      expect(await reads(as)).toEqual([200, 'read']);
      // The installation signs with the key that it had, and backups of etcd are what they were.
      await as.good('GET', '/api/installations');
      const backup = await fetch(`${as.url}/api/charters/tern/etcd-backups/77/snapshot.db`, { headers: { cookie: as.cookie } });
      expect([backup.status, await backup.text()]).toEqual([200, 'begin-finish']);
    });
    expect(() => rotate(i.config.keyringKey, next)).toThrow(/PRAESIDOR_KEY does not open/);
    // And back, so that nothing was lost on the way.
    rotate(next, i.config.keyringKey);
    i.running = await startServer(i.config);
    expect(await reads(c)).toEqual([200, 'read']);
  });
});
