import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { drift, inParts, readMaster, updateFor, zoneFile } from '@praesidor/core/naming';
import { kinds, type ServedRecord, type Zone } from '@praesidor/core/model';
import { anywhere, Exits } from '../dial/index.ts';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { lookup, transfer, update } from './index.ts';

/** Our updates and transfers against a name server that is not ours: Debian's named, on loopback. */
const there = existsSync('/usr/sbin/named');
const zone = 'lr.example';
const dir = mkdtempSync(join(tmpdir(), 'praesidor-named-'));
const secret = randomBytes(32);
const key = { name: 'lr-dns', secret };
const seconds = () => Math.floor(Date.now() / 1000);
let child: ChildProcess | undefined;
let server = { address: '127.0.0.1', port: 0, exits: new Exits([], anywhere), purpose: 'zone' as const };

const freePort = () =>
  new Promise<number>((done) => {
    const s = createServer().listen(0, '127.0.0.1', () => {
      const { port } = s.address() as { port: number };
      s.close(() => done(port));
    });
  });
const doc = kinds.Zone.parse({
  kind: 'Zone',
  name: zone,
  site: 'lr',
  primary: '10.0.0.1',
  servers: [`ns1.${zone}`],
  contact: `hm.${zone}`,
  key: 'lr-dns',
}) as Zone;
const a = (name: string, value: string, type = 'A', ttl = 3600): ServedRecord => ({
  name: name === '@' ? zone : `${name}.${zone}`,
  type,
  ttl,
  value,
});
const first = [
  a('@', `ns1.${zone}`, 'NS'),
  a('ns1', '10.0.0.1'),
  a('old', '10.0.0.7'),
  a('in', '10.0.0.9'),
  a('radar', '10.0.0.8'),
  a('text', 'ünï "c" \\', 'TXT'),
];

beforeAll(async () => {
  if (!there) return;
  server = { ...server, port: await freePort() };
  const data = join(dir, 'data');
  mkdirSync(data);
  writeFileSync(
    join(data, 'zone'),
    `${zoneFile(doc, 1, first)}odd.${zone}. 60 IN TYPE65400 \\# 3 0102ff\nshop.${zone}. 60 IN CAA 0 issue "ca.example"\n`,
  );
  writeFileSync(
    join(dir, 'named.conf'),
    `key "lr-dns" { algorithm hmac-sha256; secret "${secret.toString('base64')}"; };
options { directory "${data}"; pid-file "${dir}/pid"; session-keyfile "${dir}/session"; listen-on port ${server.port} { 127.0.0.1; }; listen-on-v6 { none; }; recursion no; allow-transfer { key "lr-dns"; }; notify no; managed-keys-directory "${data}"; };
controls { };
zone "${zone}" { type primary; file "zone"; update-policy { grant lr-dns zonesub ANY; }; };
`,
  );
  const started = spawn('/usr/sbin/named', ['-g', '-n', '1', '-c', join(dir, 'named.conf')], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  child = started;
  let said = '';
  await new Promise<void>((done, fail) => {
    started.stderr?.on('data', (d) => {
      said += d;
      if (/all zones loaded|running$/m.test(said)) done();
    });
    started.once('exit', () => fail(new Error(said.slice(-800))));
  });
});
afterAll(async () => {
  const ended = child && new Promise((done) => child?.once('exit', done));
  child?.kill('SIGTERM');
  await ended;
  rmSync(dir, { recursive: true, force: true });
});

const read = async () => (await transfer(server, zone, key, seconds())).records;
const shown = (list: readonly ServedRecord[]) => list.map((r) => `${r.name} ${r.type} ${r.value}`).sort();

describe.runIf(there)('named', () => {
  it('gives its zone by a signed transfer, with every type it has', async () => {
    const { serial, records } = await transfer(server, zone, key, seconds());
    expect(serial).toBe(1);
    expect(shown(records)).toEqual(
      shown([...first, a('odd', '\\# 3 0102ff', 'TYPE65400'), a('shop', '0 issue "ca.example"', 'CAA')]),
    );
  });
  it('refuses one who has another key, and one who signs with a wrong secret', async () => {
    await expect(transfer(server, zone, { name: 'lr-dns', secret: randomBytes(32) }, seconds())).rejects.toThrow(
      /refuses to transfer/,
    );
    await expect(transfer(server, zone, { name: 'other', secret }, seconds())).rejects.toThrow(/refuses to transfer/);
  });
  it('takes the smallest update, and then serves what is planned', async () => {
    const planned = [
      first[0] as ServedRecord,
      first[1] as ServedRecord,
      a('in', '10.0.0.2'),
      a('api', '10.0.0.3'),
      a('api', '10.0.0.4'),
      a('web', `api.${zone}`, 'CNAME'),
      a('_kube._tcp', `0 5 6443 api.${zone}`, 'SRV'),
      a('mail', `10 api.${zone}`, 'MX'),
      a('*.apps', '10.0.0.5'),
      a('text', 'other', 'TXT', 60),
    ];
    const d = drift(planned, await read(), new Set([`old.${zone} A 10.0.0.7`]));
    await update(server, zone, updateFor(d), key, seconds());
    const now = await read();
    const left = drift(planned, now, new Set());
    expect([left.add, left.change, shown(left.foreign)]).toEqual([
      [],
      [],
      shown([a('radar', '10.0.0.8'), ...now.filter((r) => r.type.startsWith('TYPE') || r.type === 'CAA')]),
    ]);
    expect(await lookup(server, `any.apps.${zone}`, 'A')).toEqual(['10.0.0.5']);
    expect((await lookup(server, `api.${zone}`, 'A')).sort()).toEqual(['10.0.0.3', '10.0.0.4']);
  });
  it('refuses an update when somebody changed what was read', async () => {
    const before = await read();
    const wanted = updateFor(drift([a('radar', '10.0.0.80')], before, new Set()));
    const nsupdate = `server 127.0.0.1 ${server.port}\nkey hmac-sha256:lr-dns ${secret.toString('base64')}\nupdate delete radar.${zone} A\nupdate add radar.${zone} 60 A 10.0.0.88\nsend\n`;
    if (existsSync('/usr/bin/nsupdate'))
      expect(spawnSync('/usr/bin/nsupdate', [], { input: nsupdate, encoding: 'utf8' }).status).toBe(0);
    else await update(server, zone, updateFor(drift([a('radar', '10.0.0.88')], before)), key, seconds());
    await expect(update(server, zone, wanted, key, seconds())).rejects.toThrow('somebody changed it there');
    expect(await lookup(server, `radar.${zone}`, 'A')).toEqual(['10.0.0.88']);
  });
  it.runIf(existsSync('/usr/bin/dig'))('says to dig what it says to us', async () => {
    const out = spawnSync(
      '/usr/bin/dig',
      [
        '@127.0.0.1',
        '-p',
        String(server.port),
        '-y',
        `hmac-sha256:lr-dns:${secret.toString('base64')}`,
        '+noall',
        '+answer',
        '+onesoa',
        zone,
        'AXFR',
      ],
      { encoding: 'utf8' },
    ).stdout;
    const theirs = readMaster(out.replace(/^;.*$/gm, ''), zone);
    expect(theirs.problems).toEqual([]);
    const known = (list: readonly ServedRecord[]) => shown(list.filter((r) => !/^TYPE|CAA|SOA|TSIG/.test(r.type)));
    expect(known(theirs.records)).toEqual(known(await read()));
  });
});

describe.runIf(there)('a large zone on named', () => {
  it('is filled in parts, transferred over many messages, and emptied again', async () => {
    const many = Array.from({ length: 1200 }, (_, k) => a(`load-${k}`, `10.1.${k >> 8}.${k & 255}`)).concat(
      Array.from({ length: 300 }, (_, k) => a(`text-${k}`, `${'x'.repeat(180)} ${k}`, 'TXT')),
    );
    const before = await read();
    const parts = inParts(drift([...before, ...many], before));
    expect(parts.length).toBeGreaterThan(5);
    for (const part of parts) await update(server, zone, updateFor(part), key, seconds());
    const now = await read();
    expect(now.length).toBe(before.length + many.length);
    expect(drift(many, now).add).toEqual([]);
    const ours = new Set(many.map((r) => `${r.name} ${r.type} ${r.value}`));
    const gone = drift(before, now, ours);
    expect(gone.remove).toHaveLength(many.length);
    for (const part of inParts(gone)) await update(server, zone, updateFor(part), key, seconds());
    expect(shown(await read())).toEqual(shown(before));
  });
});
