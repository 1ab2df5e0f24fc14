import { X509Certificate } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { request } from 'node:https';
import type { AddressInfo, Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { connect, type TLSSocket } from 'node:tls';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate } from '@praesidor/standins';
import { createRegistry, type Pair, pairFault, ShownPair, Store } from './index.ts';

const dir = mkdtempSync(join(tmpdir(), 'certificate-'));
const day = 86_400_000;
let ca: Pair;
let first: Pair;
const make = (names: string[], days = 90, addresses: string[] = []) =>
  makeCertificate({ commonName: names[0] ?? 'x', names, addresses, days, ca });
const fingerprint = (p: Pair) => new X509Certificate(p.cert).fingerprint256;
beforeAll(async () => {
  ca = await makeCertificate({ commonName: 'CA', isCa: true });
  first = await make(['depot.example'], 90, ['127.0.0.1']);
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe('another certificate', () => {
  it('is taken when it is whole, good now and names something that the present one names', async () => {
    const next = await make(['depot.example', 'more.example'], 30, ['127.0.0.1']);
    expect(pairFault(next, first, new Date())).toBeUndefined();
    expect(pairFault(next, undefined, new Date())).toBeUndefined();
  });
  it('is refused with what is wrong with it', async () => {
    const other = await make(['depot.example'], 90, ['127.0.0.1']);
    const now = new Date();
    expect(pairFault({ cert: other.cert, key: first.key }, first, now)).toBe('the key belongs to another certificate');
    expect(pairFault({ cert: 'letters', key: first.key }, first, now)).toMatch(/^it cannot be read: /);
    expect(pairFault(other, first, new Date(Date.now() + 91 * day))).toMatch(/^it ended on \d{4}/);
    expect(pairFault(other, first, new Date(Date.now() - 2 * day))).toMatch(/^it begins only on \d{4}/);
    expect(pairFault(await make(['b.example'], 9, ['10.0.0.9']), first, now)).toBe(
      "it is another registry's: it names nothing of depot.example, 127.0.0.1",
    );
    // Its address has moved: its name has not.
    expect(pairFault(await make(['depot.example'], 9, ['10.0.0.9']), first, now)).toBeUndefined();
  });
  it('that was handed over is shown until the configuration names one that was issued later', async () => {
    let given = first;
    const shown = new ShownPair(() => given, join(dir, 'shown'));
    expect(shown.read()).toBe(first);
    // Certificates tell the second in which they begin, and no more: the next one is made in a later second.
    const nextSecond = () => new Promise((done) => setTimeout(done, 1010 - (Date.now() % 1000)));
    await nextSecond();
    const next = await make(['depot.example']);
    await shown.keep(next);
    expect(shown.read()).toEqual(next);
    expect(statSync(join(dir, 'shown/tls/pair.json')).mode & 0o077).toBe(0);
    await nextSecond();
    given = await make(['depot.example']);
    expect(shown.read()).toBe(given);
    // What a crash left unreadable is no reason to show nothing.
    writeFileSync(join(dir, 'shown/tls/pair.json'), '{"cert":');
    expect(shown.read()).toBe(given);
  });
});

describe('a registry', () => {
  const put = (port: number, body: string, auth = 'keeper:pw', trust = ca.cert) =>
    new Promise<{ status: number; text: string }>((done, fail) => {
      const q = request(
        { host: '127.0.0.1', port, method: 'PUT', path: '/praesidor/certificate', ca: trust, auth, agent: false },
        (res) => {
          const chunks: Buffer[] = [];
          res.on('data', (c: Buffer) => chunks.push(c));
          res.on('end', () => done({ status: res.statusCode ?? 0, text: Buffer.concat(chunks).toString() }));
        },
      );
      q.once('error', fail).end(body);
    });
  const seen = (port: number) =>
    new Promise<string>((done, fail) => {
      const s: TLSSocket = connect({ host: '127.0.0.1', port, ca: ca.cert }, () => {
        done(s.getPeerCertificate().fingerprint256);
        s.destroy();
      }).once('error', fail) as TLSSocket;
    });

  it('takes it from whoever may write, keeps it before it shows it, and lets nobody go', async () => {
    const kept = new ShownPair(() => first, join(dir, 'served'));
    const server = createRegistry({
      store: await new Store(join(dir, 'store')).open(),
      tls: first,
      users: { keeper: 'pw', puller: 'pw' },
      writers: ['keeper'],
      takePair: (p) => kept.keep(p),
    });
    await new Promise<void>((done) => {
      server.listen(0, '127.0.0.1', done);
    });
    const { port } = server.address() as AddressInfo;
    const connected: Socket = await new Promise((done) => {
      const s = connect({ host: '127.0.0.1', port, ca: ca.cert }, () => done(s));
    });
    let lost = false;
    connected.once('close', () => {
      lost = true;
    });
    try {
      const next = await make(['depot.example'], 60, ['127.0.0.1']);
      expect((await put(port, JSON.stringify(next), 'puller:pw')).status).toBe(403);
      expect((await put(port, JSON.stringify(next), 'keeper:no')).status).toBe(401);
      expect(await put(port, 'letters')).toMatchObject({ status: 400 });
      expect((await put(port, JSON.stringify({ ...next, key: first.key }))).text).toContain('belongs to another certificate');
      expect((await put(port, 'x'.repeat(300_000))).status).toBe(413);
      expect(await seen(port)).toBe(fingerprint(first));
      const done = await put(port, JSON.stringify(next));
      expect([done.status, JSON.parse(done.text)]).toEqual([200, { fingerprint: fingerprint(next) }]);
      expect(await seen(port)).toBe(fingerprint(next));
      expect(JSON.parse(readFileSync(join(dir, 'served/tls/pair.json'), 'utf8'))).toEqual(next);
      expect(lost).toBe(false);
    } finally {
      connected.destroy();
      server.closeAllConnections();
      await new Promise((done) => server.close(done));
    }
  });
  it('whose certificate is laid by hand says so', async () => {
    const server = createRegistry({ store: await new Store(join(dir, 'store')).open(), tls: first, users: { keeper: 'pw' } });
    await new Promise<void>((done) => {
      server.listen(0, '127.0.0.1', done);
    });
    try {
      const r = await put((server.address() as AddressInfo).port, JSON.stringify(first));
      expect([r.status, r.text]).toEqual([404, expect.stringContaining('is laid by hand')]);
    } finally {
      server.closeAllConnections();
      await new Promise((done) => server.close(done));
    }
  });
});
