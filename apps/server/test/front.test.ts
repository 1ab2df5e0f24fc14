import { type ChildProcess, execFileSync, spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:https';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate } from '@praesidor/standins';
import { eventually, Installation } from './installation.ts';

/** The proxies of docs/front as they stand there, with only addresses and files exchanged. */
const docs = join(import.meta.dirname, '../../../docs/front');
const i = new Installation();
const dir = mkdtempSync(join(tmpdir(), 'front-'));
let ca = '';
let running: ChildProcess | undefined;
beforeAll(async () => {
  await i.start({ speed: 600, settings: { trustProxy: ['127.0.0.1'], secureCookies: true } });
  const pair = await makeCertificate({ commonName: 'praesidor.example', names: ['praesidor.example'] });
  ca = pair.cert;
  writeFileSync(join(dir, 'tls.pem'), `${pair.key}\n${pair.cert}`);
  writeFileSync(join(dir, 'tls.crt'), pair.cert);
  writeFileSync(join(dir, 'tls.key'), pair.key);
});
afterEach(async () => {
  const p = running;
  running = undefined;
  if (!p || p.exitCode !== null) return;
  const gone = new Promise((done) => p.once('exit', done));
  p.kill('SIGTERM');
  await gone;
});
afterAll(async () => {
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

const freePort = () =>
  new Promise<number>((done) => {
    const s = createServer().listen(0, '127.0.0.1', () => {
      const { port } = s.address() as { port: number };
      s.close(() => done(port));
    });
  });
const ask = (port: number, method: string, path: string, headers: Record<string, string> = {}, body?: string) =>
  new Promise<{ status: number; headers: Record<string, unknown>; text: string }>((done, fail) => {
    const r = request(
      {
        host: '127.0.0.1',
        port,
        method,
        path,
        ca,
        servername: 'praesidor.example',
        headers: { host: 'praesidor.example', ...headers },
      },
      (res) => {
        let text = '';
        res.on('data', (d: Buffer) => {
          text += d;
        });
        res.on('end', () => done({ status: res.statusCode ?? 0, headers: res.headers, text }));
      },
    );
    r.on('error', fail).end(body);
  });

const fronts = {
  haproxy: {
    program: '/usr/sbin/haproxy',
    file: 'haproxy.cfg',
    args: (f: string) => ['-db', '-f', f],
    check: (f: string) => ['-c', '-f', f],
  },
  nginx: {
    program: '/usr/sbin/nginx',
    file: 'nginx.conf',
    args: (f: string) => ['-c', f, '-g', 'daemon off;'],
    check: (f: string) => ['-t', '-c', f],
  },
} as const;

describe.each(Object.entries(fronts))('%s in front, as docs/operations.md has it', (_, front) => {
  it.runIf(existsSync(front.program))('speaks TLS, tells who asks, and lets events through at once', async () => {
    const port = await freePort();
    const server = new URL(i.config.publicUrl).host;
    const text = readFileSync(join(docs, front.file), 'utf8')
      .replaceAll('127.0.0.1:8080', server)
      .replace('bind :443', `bind 127.0.0.1:${port}`)
      .replace('listen 443', `listen 127.0.0.1:${port}`)
      .replaceAll('/etc/praesidor/', `${dir}/`)
      .replace('/run/praesidor-front.pid', `${dir}/front.pid`);
    const file = join(dir, front.file);
    writeFileSync(file, text);
    execFileSync(front.program, front.check(file), { stdio: 'pipe' });
    running = spawn(front.program, front.args(file), { stdio: 'ignore' });
    await eventually(
      async () => (await ask(port, 'GET', '/api/ready').catch(() => undefined))?.status === 200,
      'the proxy answers',
    );

    const r = await ask(
      port,
      'POST',
      '/api/sign-in',
      // Whoever asks says that it comes from elsewhere: the proxy knows better.
      { 'content-type': 'application/json', 'x-forwarded-for': '10.9.9.9' },
      JSON.stringify({ login: 'warden', password: i.password }),
    );
    expect(r.status).toBe(200);
    expect(r.headers['strict-transport-security']).toContain('max-age=31536000');
    const set = (r.headers['set-cookie'] as string[])[0] as string;
    expect(set).toContain('Secure');
    const cookie = set.split(';')[0] as string;
    const { sessions } = JSON.parse((await ask(port, 'GET', '/api/me/sessions', { cookie })).text) as {
      sessions: { address: string; own: boolean }[];
    };
    expect(sessions.find((s) => s.own)?.address).toBe('127.0.0.1');

    // An event that happens while the stream is open comes through the proxy at once, not when a buffer is full.
    const came = new Promise<string>((done, fail) => {
      const q = request(
        { host: '127.0.0.1', port, path: '/api/events', ca, servername: 'praesidor.example', headers: { cookie } },
        (res) => {
          let seen = '';
          res.on('data', (d: Buffer) => {
            seen += d;
            if (!seen.includes('retry:')) return;
            if (!seen.includes('"kind":"Charter"')) return;
            q.destroy();
            done(seen);
          });
        },
      );
      q.on('error', fail).end();
    });
    came.catch(() => undefined);
    const c = await i.as('planner');
    let n = 0;
    await eventually(async () => {
      await c.good('POST', '/api/edits', {
        why: 'for the stream',
        edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['purpose'], value: `tides ${n++}` }],
      });
      return Promise.race([came, new Promise<undefined>((done) => setTimeout(done, 500))]);
    }, 'the event');
    expect(await came).toContain('"subject":"plover"');
  });
});

it.runIf(existsSync('/usr/bin/systemd-analyze'))('the service unit is one that systemd finds nothing wrong with', () => {
  const unit = readFileSync(join(docs, 'praesidor.service'), 'utf8').replace('/usr/bin/node', process.execPath);
  writeFileSync(join(dir, 'praesidor.service'), unit);
  const said = execFileSync('systemd-analyze', ['verify', '--man=no', join(dir, 'praesidor.service')], {
    encoding: 'utf8',
    stdio: 'pipe',
  });
  expect(said).toBe('');
});
