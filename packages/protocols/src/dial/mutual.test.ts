import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TLSSocket } from 'node:tls';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { anywhere, askMutual, Dialer, Exits, type MutualAt } from './index.ts';

/** A server that tells who asks, and under which name, and sends as much as it is asked for. */
const dir = mkdtempSync(join(tmpdir(), 'mutual-'));
const made = (name: string, subject: string) => {
  execFileSync(
    'openssl',
    `req -x509 -newkey ec -pkeyopt ec_paramgen_curve:prime256v1 -nodes -days 1 -keyout ${name}.key -out ${name}.crt -subj /CN=${name} -addext subjectAltName=${subject}`.split(
      ' ',
    ),
    { cwd: dir, stdio: 'ignore' },
  );
  return { cert: readFileSync(join(dir, `${name}.crt`), 'utf8'), key: readFileSync(join(dir, `${name}.key`), 'utf8') };
};
const api = made('api', 'DNS:kube.reef.example,IP:127.0.0.1');
const [ana, ben] = [made('ana', 'DNS:ana.example'), made('ben', 'DNS:ben.example')];
const server = createServer({ ...api, requestCert: true, rejectUnauthorized: false }, (req, res) => {
  const socket = req.socket as TLSSocket;
  if (req.url === '/much') return void res.end('x'.repeat(2_000_000));
  res.end(
    `${socket.getPeerCertificate().subject?.CN} asks ${(socket as { servername?: string | false }).servername || 'nobody by name'}`,
  );
});
const dialer = new Dialer(new Exits([], anywhere), () => Promise.resolve('127.0.0.1'));
let port = 0;
beforeAll(async () => {
  port = await new Promise((done) => server.listen(0, '127.0.0.1', () => done((server.address() as AddressInfo).port)));
});
afterAll(async () => {
  await dialer.close();
  await new Promise((done) => server.close(done));
  rmSync(dir, { recursive: true });
});
const ask = (who: { cert: string; key: string }, more: Partial<MutualAt> = {}, path = '/', mostBytes?: number) =>
  askMutual(
    { dialer, host: 'kube.reef.example', address: '127.0.0.1', port, ca: api.cert, certificate: who.cert, key: who.key, ...more },
    'cluster',
    { path, ...(mostBytes ? { mostBytes } : {}) },
    (_, body) => body.text(),
  );

it('shows the certificate of whoever asks, also where another asked a moment ago', async () => {
  expect([await ask(ana), await ask(ben), await ask(ana)]).toEqual([
    'ana asks kube.reef.example',
    'ben asks kube.reef.example',
    'ana asks kube.reef.example',
  ]);
});
it('tells no name of an address, and verifies the address', async () => {
  expect(await ask(ana, { host: '127.0.0.1' })).toBe('ana asks nobody by name');
});
it.each([
  ['another name', { host: 'kube.other.example' }, 'kube.other.example'],
  ['another authority', { ca: ben.cert }, 'self-signed certificate'],
])('asks nobody who has %s', async (_, more, why) => {
  await expect(ask(ana, more)).rejects.toThrow(why);
});
it('hangs up on who sends more than is taken', async () => {
  await expect(ask(ana, {}, '/much', 1_000_000)).rejects.toThrow('it sends more than is taken of an answer');
  expect((await ask(ana, {}, '/much', 2_000_000)).length).toBe(2_000_000);
});
