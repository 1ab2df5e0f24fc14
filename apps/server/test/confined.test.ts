import { execFileSync, spawnSync } from 'node:child_process';
import { connect, createServer } from 'node:net';
import type { AddressInfo, Socket } from 'node:net';
import { existsSync, mkdtempSync, readdirSync, rmSync, utimesSync } from 'node:fs';
import { join } from 'node:path';
import { tmpdir } from 'node:os';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { clearRooms, confined, NotHere } from '../src/shell/confined.ts';

/** What a program can do that runs confined: real programs of the system, which try to get out. */
const server = createServer((s) => s.end('HTTP/1.1 200 OK\r\ncontent-length: 7\r\n\r\nreached'));
let port = 0;
beforeAll(async () => {
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  port = (server.address() as AddressInfo).port;
});
afterAll(() => server.close());

/** Whether the kernel gives namespaces here; where it does not, nothing is run, which is said. */
const apart = spawnSync('unshare', ['--user', '--map-root-user', '--net', 'true']).status === 0;
if (!apart) process.stderr.write('No user namespaces can be had here: confined programs are not tried.\n');

const rooms = () => readdirSync(tmpdir()).filter((f) => f.startsWith('praesidor-shell-')).length;
async function run(
  program: string,
  args: string[],
  {
    seconds = 30,
    bytes = 100_000,
    signal = new AbortController().signal,
    reach,
  }: { seconds?: number; bytes?: number; signal?: AbortSignal; reach?: () => Promise<Socket> } = {},
) {
  const said = { out: '', err: '' };
  const ran = await confined({
    program,
    args,
    kubeconfig: 'apiVersion: v1\n',
    reach: reach ?? (async () => connect(port, '127.0.0.1')),
    signal,
    seconds,
    bytes,
    said: (which, text) => void (said[which] += text),
  });
  return { ...ran, ...said };
}

describe.skipIf(!apart)('a confined program', () => {
  it('does its work, and its output and its end are told apart', async () => {
    expect(await run('/usr/bin/cat', ['/run/kubeconfig', '/run/nothing'])).toEqual({
      code: 1,
      out: 'apiVersion: v1\n',
      err: '/run/program: /run/nothing: No such file or directory\n',
    });
  });
  it('reaches what the caller gives it, and nothing else: no neighbour, no server, no name', async () => {
    expect(await run('/usr/bin/curl', ['-s', 'http://127.0.0.1:6443/'])).toMatchObject({ code: 0, out: 'reached' });
    for (const to of [`http://127.0.0.1:${port}/`, 'http://10.62.8.53/', 'http://169.254.1.1/', 'http://example.example/'])
      expect([to, (await run('/usr/bin/curl', ['-s', '--max-time', '3', to])).code]).not.toEqual([to, 0]);
    const refused = await run('/usr/bin/curl', ['-s', 'http://127.0.0.1:6443/'], {
      reach: () => Promise.reject(new Error('away')),
    });
    expect(refused.code).not.toBe(0);
  });
  it('sees no file but the system’s own, and writes none of them', async () => {
    for (const path of [import.meta.filename, '/etc/passwd', '/proc/self/environ', '/root', '/home', '/var', '/sys'])
      expect([path, (await run('/usr/bin/ls', [path])).code]).toEqual([path, 2]);
    const { err } = await run('/usr/bin/touch', ['/usr/bin/planted', '/run/program', '/planted', '/run/kubeconfig2']);
    expect(err.match(/Read-only file system/g)?.length).toBe(3);
    expect(existsSync('/usr/bin/planted')).toBe(false);
    // Its own few megabytes, from which nothing is run.
    expect((await run('/usr/bin/dd', ['if=/dev/zero', 'of=/tmp/x', 'bs=1M', 'count=40'])).code).not.toBe(0);
  });
  it('sees nobody else’s processes, and takes up no right', async () => {
    expect(await run('/usr/bin/sh', ['-c', 'kill -0 2 && kill -9 1; echo $$'])).toMatchObject({ code: 0 });
    expect((await run('/usr/bin/mount', ['-t', 'tmpfs', 'x', '/tmp'])).code).not.toBe(0);
    expect((await run('/usr/bin/unshare', ['--user', '--map-root-user', 'true'])).code).not.toBe(0);
    expect((await run('/usr/sbin/chroot', ['/tmp', 'true'])).code).not.toBe(0);
    expect((await run('/usr/bin/setpriv', ['--dump'])).out).toMatch(/Capability bounding set: \[none\]/);
  });
  it('is given no variable of the server', async () => {
    process.env.PRAESIDOR_TRIED = 'a secret of the server';
    const { out } = await run('/usr/bin/env', []);
    delete process.env.PRAESIDOR_TRIED;
    expect(
      out
        .split('\n')
        .filter(Boolean)
        .map((l) => l.split('=')[0])
        .sort(),
    ).toEqual(['HOME', 'KUBECONFIG', 'PATH', 'TMPDIR']);
  });
});

describe.skipIf(!apart)('its limits', () => {
  it('end one that prints without end, with what it said until then', async () => {
    const r = await run('/usr/bin/yes', [], { bytes: 10_000 });
    expect([r.code, r.cut, r.out.length]).toEqual([null, 'output', 10_000]);
  });
  it('end one that takes too long, and one that nobody waits for any more; nothing of them is left', async () => {
    const before = rooms();
    expect(await run('/usr/bin/sleep', ['4711'], { seconds: 1 })).toMatchObject({ code: null, cut: 'time' });
    const left = new AbortController();
    const running = run('/usr/bin/sh', ['-c', 'echo up; /usr/bin/sleep 4711 & /usr/bin/sleep 4711'], { signal: left.signal });
    setTimeout(() => left.abort(), 300);
    expect(await running).toMatchObject({ code: null, cut: 'left' });
    expect(await run('/usr/bin/true', [], { signal: left.signal })).toMatchObject({ cut: 'left' });
    expect(execFileSync('ps', ['ax', '-o', 'args=']).toString()).not.toMatch(/^(\S*sleep|\/run\/program) 4711$/m);
    expect(rooms()).toBe(before);
  });
  it('rooms that a killed server left are cleared away at the next start, those in use are not', async () => {
    const [old, fresh] = [0, 1].map(() => mkdtempSync(join(tmpdir(), 'praesidor-shell-'))) as [string, string];
    utimesSync(old, 0, 0);
    await clearRooms();
    expect([existsSync(old), existsSync(fresh)]).toEqual([false, true]);
    rmSync(fresh, { recursive: true });
  });
  it('a program that is not there is said, and is no end of a program', async () => {
    await expect(run('/usr/bin/nothing-of-that-name', [])).rejects.toThrow(NotHere);
  });
});
