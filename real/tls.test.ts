import { type ChildProcess, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { createServer, type Server } from 'node:https';
import { connect, createServer as createTcpServer, type Server as TcpServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { systemNeeds } from '@praesidor/core/files';
import { type Client, eventually, freePort, Installation, prepare } from '../apps/server/test/installation.ts';
import { answerFirmware, Machine, openRoom, room } from './machine.ts';
import { smallSystem, told } from './small-system.ts';

/** A certificate with an RSA key, of an authority or by one: this firmware's TLS knows no elliptic curves. */
function certificate(name: string, by?: { cert: string; key: string }): { cert: string; key: string } {
  const at = (file: string) => join(dir, `${name}.${file}`);
  const openssl = (...args: string[]) => {
    const r = spawnSync('openssl', args, { encoding: 'utf8' });
    if (r.status !== 0) throw new Error(r.stderr);
  };
  const pair = ['-newkey', 'rsa:2048', '-nodes', '-keyout', at('key'), '-days', '30', '-subj', `/CN=${name}`, '-out', at('crt')];
  if (!by) openssl('req', '-x509', ...pair, '-addext', 'keyUsage=critical,keyCertSign');
  else {
    writeFileSync(at('by.crt'), by.cert);
    writeFileSync(at('by.key'), by.key);
    const signer = ['-CA', at('by.crt'), '-CAkey', at('by.key')];
    openssl(
      'req',
      '-x509',
      ...pair,
      ...signer,
      '-addext',
      `subjectAltName=IP:${room.server}`,
      '-addext',
      'basicConstraints=CA:FALSE',
    );
  }
  return { cert: readFileSync(at('crt'), 'utf8'), key: readFileSync(at('key'), 'utf8') };
}

/** UEFI firmware (Debian's ovmf) loads its program over TLS, by the authority that the product gave to its controller, and by no other. */
const dir = mkdtempSync(join(tmpdir(), 'tls-'));
const i = new Installation();
let c: Client;
let front: Server;
let mapped: TcpServer;
let shift = 0;
let dhcp: ChildProcess | undefined;
let machine: Machine | undefined;
const host = 'lr-02';

beforeAll(async () => {
  const ca = certificate('authority');
  const pair = certificate('server', ca);
  const [port, tls] = [await freePort(), await freePort()];
  front = createServer({ key: pair.key, cert: `${pair.cert}${ca.cert}` }, (req, res) => {
    const to = request({ port, host: '127.0.0.1', method: req.method, path: req.url, headers: req.headers }, (r) => {
      res.writeHead(r.statusCode ?? 502, r.headers);
      r.pipe(res);
    });
    to.on('error', () => res.destroy());
    res.on('close', () => to.destroy());
    req.pipe(to);
  });
  const sha256 = createHash('sha256').update(ca.cert).digest('hex');
  const contents = Buffer.from(
    JSON.stringify({
      packages: systemNeeds.map((n) => ({ name: n.packages[0], version: `${n.atLeast ?? '1'}.9` })),
      added: [
        { path: '/usr/bin/kubelet', sha256: '0'.repeat(64) },
        { path: '/usr/local/share/ca-certificates/kit.crt', sha256 },
      ],
    }),
  );
  await i.start({
    also: [
      {
        image: 'images.upstream.example/core/system:1.34.2',
        layers: [...smallSystem(dir), { key: 'contents', paper: contents.length, title: 'contents', bytes: contents }],
      },
    ],
    settings: { port, publicUrl: `https://${room.server}:${tls}`, urlAuthority: ca.cert },
    patience: 1800,
    before: (to) => {
      shift = to;
      openRoom(to);
    },
  });
  // Where machines find it, and where the mapping of addresses leads the server that measures it.
  await new Promise<void>((done) => {
    front.listen(tls, room.server, done);
  });
  mapped = createTcpServer((s) => {
    const to = connect(tls, room.server);
    to.on('error', () => s.destroy());
    s.on('error', () => to.destroy());
    s.pipe(to).pipe(s);
  });
  await new Promise<void>((done) => {
    mapped.listen(tls + shift, room.server.replace(/^10/, '127'), done);
  });
  c = await i.as('warden');
  await prepare(c);
  i.plant('node-never-boots', host);
  await c.good('POST', '/api/builds', { charter: 'plover' });
});
afterEach(() => machine?.powerOff());
afterAll(async () => {
  dhcp?.kill('SIGKILL');
  front.closeAllConnections();
  front.close();
  mapped.close();
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

it('loads what the product makes when it has the authority from its controller', async () => {
  const uri = await eventually(async () => i.world.machines.get(host)?.bootUri, 'the controller is told what to boot', 60_000);
  expect(uri).toMatch(/^https:/);
  dhcp = answerFirmware(dir, uri);
  const authorities = i.world.machines.get(host)?.trusted.boot ?? [];
  machine = new Machine(join(dir, host), { mac: '52:8a:1c:40:02:01', authorities });
  const line = await told(machine);
  expect(line.replace(/ systemd.*/, '')).toBe(`ds=nocloud-net;s=${uri.replace(/boot\.efi$/, '')}`);
});

it('loads nothing by another authority', async () => {
  const other = certificate('another');
  const asked = { programs: 0, refused: 0 };
  front.on('request', (req) => {
    if (req.url?.endsWith('boot.efi')) asked.programs++;
  });
  front.on('tlsClientError', () => {
    asked.refused++;
  });
  machine = new Machine(join(dir, 'refuses'), { mac: '52:8a:1c:40:02:01', authorities: [other.cert] });
  machine.powerOn();
  await eventually(async () => asked.refused > 0, 'firmware breaks the connection off', 200_000);
  await eventually(async () => /failed to load|No bootable option|Shell>/.test(machine?.said() ?? ''), 'and says so', 200_000);
  expect(asked.programs).toBe(0);
});
