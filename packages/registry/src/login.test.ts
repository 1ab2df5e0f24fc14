import { readFile } from 'node:fs/promises';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it, vi } from 'vitest';
import { Hasher, TooMany } from './hasher.ts';
import { createRegistry, hashPassword, loginOf, Store } from './index.ts';

let users: Record<string, { password: string; writes: boolean }>;
beforeAll(async () => {
  users = {
    keeper: { password: await hashPassword('right'), writes: true },
    puller: { password: await hashPassword('also right'), writes: false },
  };
});

describe('a log-in', () => {
  it('is right, wrong, or of nobody', async () => {
    const login = loginOf(users);
    expect(await login('keeper', 'right')).toEqual({ user: 'keeper', writes: true });
    expect(await login('puller', 'also right')).toEqual({ user: 'puller', writes: false });
    expect(await login('keeper', 'also right')).toBeUndefined();
    expect(await login('__proto__', 'right')).toBeUndefined();
  });
  it('that fails ten times in a minute from one address waits; who is known goes in, and others are not touched', async () => {
    let now = 1_000_000;
    const login = loginOf(users, () => now);
    await login('puller', 'also right', '10.0.0.7');
    for (let n = 0; n < 10; n++) expect(await login('keeper', `wrong ${n}`, '10.0.0.7')).toBeUndefined();
    await expect(login('keeper', 'right', '10.0.0.7')).rejects.toThrow(TooMany);
    expect(await login('puller', 'also right', '10.0.0.7')).toMatchObject({ user: 'puller' });
    expect(await login('keeper', 'right', '10.0.0.8')).toMatchObject({ user: 'keeper' });
    now += 60_001;
    expect(await loginOf(users, () => now)('keeper', 'right', '10.0.0.7')).toMatchObject({ user: 'keeper' });
    expect(await login('keeper', 'right', '10.0.0.7')).toMatchObject({ user: 'keeper' });
  });
  it('with the same wrong password costs one hash, from however many addresses', async () => {
    const login = loginOf(users);
    await login('keeper', 'old', '10.0.0.1');
    const hashed = vi.spyOn(Hasher.prototype, 'hash');
    for (let n = 2; n < 200; n++) expect(await login('keeper', 'old', `10.0.0.${n}`)).toBeUndefined();
    // A hash takes some 40 ms: 198 of them would be eight seconds of a processor for one wrong password.
    expect(hashed).toHaveBeenCalledTimes(0);
    hashed.mockRestore();
  });
  it('with one password over many connections at once costs one hash, and a wrong one is one guess', async () => {
    const hashed = vi.spyOn(Hasher.prototype, 'hash');
    const login = loginOf(users);
    const right = await Promise.all(Array.from({ length: 50 }, () => login('keeper', 'right', '10.0.0.7')));
    expect(right.every((w) => w?.user === 'keeper')).toBe(true);
    expect(hashed).toHaveBeenCalledTimes(1);
    const wrong = await Promise.all(Array.from({ length: 50 }, () => login('keeper', 'old', '10.0.0.7')));
    expect(wrong.every((w) => w === undefined)).toBe(true);
    expect(hashed).toHaveBeenCalledTimes(2);
    // A node with an old password does not lock out what else comes from its address.
    expect(await login('puller', 'also right', '10.0.0.7')).toMatchObject({ user: 'puller' });
    hashed.mockRestore();
  });
  it('by hundreds at once is refused beyond those that may wait, and no file is read later for it', async () => {
    const login = loginOf(users);
    const many = Array.from({ length: 200 }, (_, n) => login('keeper', `guess ${n}`, `10.1.${n}.1`).catch((e: Error) => e));
    const read = readFile(import.meta.filename);
    // The pool that reads files has four threads: had the hashes taken it, the file would come behind them all.
    const first = await Promise.race([read.then(() => 'file'), Promise.all(many).then(() => 'log-ins')]);
    expect(first).toBe('file');
    const said = await Promise.all(many);
    expect(said.filter((r) => r instanceof TooMany)).toHaveLength(200 - 32);
    expect(said.filter((r) => r === undefined)).toHaveLength(32);
  });
});

describe('a token', () => {
  const dir = mkdtempSync(join(tmpdir(), 'tokens-'));
  let server: Server;
  let url = '';
  afterEach(() => server.closeAllConnections());
  afterAll(() => rmSync(dir, { recursive: true }));
  const serve = async () => {
    const store = await new Store(dir).open();
    server = createRegistry({ store, login: loginOf(users), scheme: 'bearer' });
    await new Promise<void>((done) => {
      server.listen(0, '127.0.0.1', done);
    });
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    return store;
  };
  const basic = (user: string, password: string) => `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`;
  const tokenFor = async (scope: string, user = 'keeper', password = 'right') => {
    const r = await fetch(`${url}/token?scope=${encodeURIComponent(scope)}`, {
      headers: { authorization: basic(user, password) },
    });
    return `Bearer ${((await r.json()) as { token: string }).token}`;
  };
  it('is for the repository that it was given for: it mounts nothing from another, and tells nothing of the whole', async () => {
    const store = await serve();
    const bytes = Buffer.from('secret layer');
    const full = basic('keeper', 'right');
    const digest = `sha256:${(await import('node:crypto')).createHash('sha256').update(bytes).digest('hex')}`;
    await fetch(`${url}/v2/a/b/blobs/uploads/?digest=${digest}`, {
      method: 'POST',
      headers: { authorization: full },
      body: bytes,
    });
    const only = { authorization: await tokenFor('repository:only/this:pull,push') };
    const mount = await fetch(`${url}/v2/only/this/blobs/uploads/?mount=${digest}&from=a/b`, { method: 'POST', headers: only });
    expect(mount.status).toBe(202);
    expect(await store.blobSize('only/this', digest)).toBeUndefined();
    for (const [method, path] of [
      ['GET', `/v2/a/b/blobs/${digest}`],
      ['POST', '/praesidor/collect'],
      ['GET', '/praesidor/digests'],
      ['GET', '/praesidor/pulls'],
      ['GET', '/v2/_catalog'],
      ['GET', '/metrics'],
    ] as const)
      expect([path, (await fetch(url + path, { method, headers: only })).status]).toEqual([path, 401]);
    const both = {
      authorization: await tokenFor('repository:only/this:pull,push').then(async () => {
        const r = await fetch(`${url}/token?scope=repository:only/this:pull,push&scope=repository:a/b:pull`, {
          headers: { authorization: full },
        });
        return `Bearer ${((await r.json()) as { token: string }).token}`;
      }),
    };
    expect(
      (await fetch(`${url}/v2/only/this/blobs/uploads/?mount=${digest}&from=a/b`, { method: 'POST', headers: both })).status,
    ).toBe(201);
  });
  it('for the whole registry is asked for by that name, and lets a reader only read', async () => {
    await serve();
    const r = await fetch(`${url}/praesidor/digests`);
    expect(r.headers.get('www-authenticate')).toContain('scope="registry:catalog:*"');
    const reader = { authorization: await tokenFor('registry:catalog:*', 'puller', 'also right') };
    expect((await fetch(`${url}/praesidor/digests`, { headers: reader })).status).toBe(200);
    expect((await fetch(`${url}/praesidor/collect`, { method: 'POST', headers: reader })).status).toBe(403);
    const keeper = { authorization: await tokenFor('registry:catalog:*') };
    expect((await fetch(`${url}/praesidor/collect?dry=1`, { method: 'POST', headers: keeper })).status).toBe(200);
  });
  it('limits are told as such: 429 with the time to come again', async () => {
    await serve();
    const wrong = (n: number) => fetch(`${url}/v2/`, { headers: { authorization: basic('keeper', `w${n}`) } });
    for (let n = 0; n < 10; n++) expect((await wrong(n)).status).toBe(401);
    const r = await wrong(11);
    expect([r.status, Number(r.headers.get('retry-after')) > 0]).toEqual([429, true]);
  });
  it('a pull is answered although it cannot be noted', async () => {
    const store = await serve();
    const full = { authorization: basic('puller', 'also right') };
    const keeper = { authorization: basic('keeper', 'right') };
    const bytes = Buffer.from('layer');
    const digest = `sha256:${(await import('node:crypto')).createHash('sha256').update(bytes).digest('hex')}`;
    await fetch(`${url}/v2/a/b/blobs/uploads/?digest=${digest}`, { method: 'POST', headers: keeper, body: bytes });
    // As on a full disk: the log cannot grow.
    rmSync(join(dir, 'pulls.jsonl'), { force: true });
    const full507 = Object.assign(new Error('no space left'), { code: 'ENOSPC' });
    store.logPull = () => Promise.reject(full507);
    expect((await fetch(`${url}/v2/a/b/blobs/${digest}`, { headers: full })).status).toBe(200);
    const said = await (await fetch(`${url}/metrics`, { headers: keeper })).text();
    expect(said).toContain('registry_pulls_unnoted_total 1');
    writeFileSync(join(dir, 'pulls.jsonl'), '');
  });
});
