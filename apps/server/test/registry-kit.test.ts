import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate } from '@praesidor/standins';
import { judgeCertificate } from '../src/areas/images/certificates.ts';
import { type Client, freePort, Installation } from './installation.ts';

/** The kit of a starter registry, as it is carried to a machine: made, judged, laid, started, proved, taken away. */
const i = new Installation();
const dir = mkdtempSync(join(tmpdir(), 'kit-'));
const kit = join(dir, 'praesidor-registry');
const root = join(dir, 'machine');
const host = 'registry.tst.kestrelferries.example';
let c: Client;
let made: {
  id: string;
  until: string;
  sha256: string;
  act: number;
  credentials: { user: string; password: string; writes: boolean }[];
};
const archive = (id: string) => fetch(`${i.config.publicUrl}/api/kits/${id}`, { headers: { cookie: c.cookie } });
const sh = (command: string, input = '') => {
  const r = spawnSync('/bin/sh', ['-c', command], { cwd: kit, input, encoding: 'utf8', timeout: 60_000 });
  return { code: r.status, text: r.stdout + r.stderr };
};
beforeAll(async () => {
  await i.start({ serve: true });
  c = await i.as('warden');
});
afterAll(async () => {
  if (existsSync(join(dir, 'pid'))) spawnSync('/bin/sh', ['-c', `kill -9 $(cat ${join(dir, 'pid')})`]);
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

const analyze = existsSync('/usr/bin/systemd-analyze');
describe('the kit', () => {
  it('is one archive with server, Node.js, unit and certificate, taken once, and without a password in it', async () => {
    made = await c.good('POST', '/api/registries/tst-registry/kit');
    // The keyring holds the keeper's password already: it stays what it is, and is not shown again.
    expect(made.credentials.map((x) => [x.user, x.writes])).toEqual([['puller', false]]);
    const bytes = Buffer.from(await (await archive(made.id)).arrayBuffer());
    writeFileSync(join(dir, 'kit.tar.gz'), bytes);
    expect(
      execFileSync('sha256sum', [join(dir, 'kit.tar.gz')])
        .toString()
        .slice(0, 64),
    ).toBe(made.sha256);
    execFileSync('tar', ['-xzf', 'kit.tar.gz'], { cwd: dir });
    expect(sh('sha256sum --quiet -c SHA256SUMS').code).toBe(0);
    const config = readFileSync(join(kit, 'etc/registry.json'), 'utf8');
    for (const word of [made.credentials[0]?.password ?? '', 'ships-demo-3']) expect(config).not.toContain(word);
    expect(statSync(join(kit, 'etc/tls/key.pem')).mode & 0o777).toBe(0o600);
    expect((await archive(made.id)).status).toBe(404);
    // What it needs to be trusted and used is declared with it, and the password is in the keyring.
    const r = (await c.estate()).registries.find((x) => x.name === 'tst-registry');
    expect(r?.ca).toBe(readFileSync(join(kit, 'etc/tls/ca.pem'), 'utf8'));
    expect(
      judgeCertificate(
        {
          cert: readFileSync(join(kit, 'etc/tls/cert.pem'), 'utf8'),
          key: readFileSync(join(kit, 'etc/tls/key.pem'), 'utf8'),
          ca: r?.ca ?? '',
        },
        host,
        new Date(),
      ),
    ).toEqual([]);
    execFileSync('openssl', ['verify', '-x509_strict', '-CAfile', join(kit, 'etc/tls/ca.pem'), join(kit, 'etc/tls/cert.pem')]);
  });
  it('is laid below a folder, where systemd finds nothing wrong with the unit', () => {
    expect(sh(`./install.sh --root ${root}`)).toEqual({ code: 0, text: `laid below ${root}; nothing was started\n` });
    // The same unit where its program can be found: systemd looks whether it can be started.
    const unit = join(dir, 'praesidor-registry.service');
    writeFileSync(
      unit,
      readFileSync(join(root, 'etc/systemd/system/praesidor-registry.service'), 'utf8')
        .replaceAll(' /opt/', ` ${root}/opt/`)
        .replace('=/opt/', `=${root}/opt/`),
    );
    if (!analyze) return process.stdout.write('systemd-analyze is not installed: the unit was not judged\n');
    const judged = spawnSync('systemd-analyze', ['verify', '--man=no', '--recursive-errors=one', unit], { encoding: 'utf8' });
    expect(judged.stderr.split('\n').filter((l) => l.includes('praesidor-registry'))).toEqual([]);
    expect(judged.status).toBe(0);
    return undefined;
  });
  it('a damaged one is not installed', () => {
    const unit = readFileSync(join(kit, 'praesidor-registry.service'), 'utf8');
    writeFileSync(join(kit, 'praesidor-registry.service'), `${unit}#`);
    const r = sh(`./install.sh --root ${join(dir, 'other')}`);
    expect([r.code, r.text]).toEqual([1, expect.stringContaining('the kit is damaged')]);
    writeFileSync(join(kit, 'praesidor-registry.service'), unit);
  });
});

describe('the registry that it lays', () => {
  it('is proved: log-in, push, pull, restart, and kill -9 in the middle of an upload', async () => {
    const port = await freePort();
    const file = join(root, 'etc/praesidor-registry/registry.json');
    const config = JSON.parse(readFileSync(file, 'utf8')) as Record<string, unknown>;
    writeFileSync(file, JSON.stringify({ ...config, dir: join(dir, 'content'), address: '127.0.0.1', port, keepFree: 0 }));
    const node = join(root, 'opt/praesidor-registry/bin/node');
    const program = join(root, 'opt/praesidor-registry/lib/registry.mjs');
    const start = `${node} ${program} serve ${file} >${join(dir, 'log')} 2>&1 & echo $! > ${join(dir, 'pid')}`;
    const end = (signal: string) =>
      `kill -${signal} $(cat ${join(dir, 'pid')}); while kill -0 $(cat ${join(dir, 'pid')}) 2>/dev/null; do sleep 0.05; done; ${start}`;
    writeFileSync(join(dir, 'restart.sh'), end('TERM'));
    // A kill that comes late finds the upload still going on.
    writeFileSync(join(dir, 'kill.sh'), `sleep 0.5; ${end('KILL')}`);
    expect(sh(start).code).toBe(0);
    const proving = (password: string) =>
      sh(
        `for n in $(seq 100); do grep -q answers ${join(dir, 'log')} && break; sleep 0.1; done; ${node} ${program} prove https://${host}:${port} --ca ${join(kit, 'etc/tls/ca.pem')} --user keeper --at 127.0.0.1 --restart 'sh ${join(dir, 'restart.sh')}' --kill 'sh ${join(dir, 'kill.sh')}'`,
        `${password}\n`,
      );
    const r = proving('ships-demo-3');
    expect(
      r.text.split('\n').filter((l) => l.startsWith('proved')),
      r.text,
    ).toEqual([
      `proved  its certificate verifies against the trust bundle: https://${host}:${port}`,
      'proved  a wrong password is refused',
      expect.stringMatching(/^proved {2}what is pushed is pulled byte by byte: sha256:/),
      'proved  the same after a restart',
      expect.stringMatching(
        /^proved {2}killed in the middle of an upload, it loses nothing that it acknowledged: went on at byte \d+$/,
      ),
    ]);
    expect(r.code).toBe(0);
    const wrong = proving('nearly');
    expect([wrong.code, wrong.text]).toEqual([1, expect.stringContaining('logging in: it answered 401')]);
  });
  it('is taken away, and its content only when its name is typed', () => {
    expect(sh(`./remove.sh --root ${root}`, 'no\n').text).toContain('kept');
    expect(existsSync(join(root, 'opt/praesidor-registry'))).toBe(false);
    expect(existsSync(join(root, 'var/lib/praesidor-registry'))).toBe(true);
    expect(sh(`./remove.sh --root ${root}`, 'tst-registry\n').text).toContain('deleted');
    expect(existsSync(join(root, 'var/lib/praesidor-registry'))).toBe(false);
  });
});

describe('certificates that are given', () => {
  const verdicts = (cert: { cert: string; key?: string }, ca: string, name = host, now = new Date()) =>
    judgeCertificate({ ...cert, ca }, name, now).map((j) => `${j.severity} ${j.text}`);
  it('are judged by chain, names, dates, key and strength, and refused with each reason', async () => {
    const ca = await makeCertificate({ commonName: 'A CA', isCa: true });
    const other = await makeCertificate({ commonName: 'Another CA', isCa: true });
    const good = await makeCertificate({ commonName: host, names: [host], ca, days: 100 });
    expect(verdicts(good, ca.cert)).toEqual([]);
    expect(verdicts(good, ca.cert, 'registry.ptl.kestrelferries.example')).toEqual([
      `stop it is for ${host}, not for registry.ptl.kestrelferries.example`,
    ]);
    expect(verdicts(good, other.cert)[0]).toContain('stop no anchor of the trust bundle signed it: CN=A CA did');
    expect(verdicts({ ...good, key: other.key }, ca.cert)).toEqual(['stop the key belongs to another certificate']);
    expect(verdicts(good, ca.cert, host, new Date(Date.now() + 200 * 86_400_000))[0]).toMatch(/^stop it ended on/);
    expect(verdicts(await makeCertificate({ commonName: host, names: [host], ca, days: 9 }), ca.cert)[0]).toMatch(
      /^mind it ends on .* already$/,
    );
    expect(verdicts({ cert: 'nothing' }, ca.cert)).toEqual(['stop the certificate holds no certificate in PEM']);
    const weak = execFileSync('sh', [
      '-c',
      `cd ${dir} && openssl req -x509 -newkey rsa:1024 -nodes -keyout weak.key -subj /CN=${host} -addext subjectAltName=DNS:${host} -days 90 2>/dev/null`,
    ]).toString();
    expect(verdicts({ cert: weak }, weak)).toContain('stop it has an RSA key of 1024 bits; 2048 are the least');
    const r = await c.call('POST', '/api/registries/tst-registry/kit', {
      days: 90,
      given: { cert: good.cert, key: other.key, ca: ca.cert },
    });
    expect([r.status, r.body.message]).toEqual([422, 'The certificate cannot be used: the key belongs to another certificate.']);
    const used = await c.good<typeof made>('POST', '/api/registries/tst-registry/kit', {
      days: 90,
      given: { ...good, ca: ca.cert },
    });
    // The authority of before stays beside it, until somebody takes it out.
    const trust = (await c.estate()).registries.find((x) => x.name === 'tst-registry')?.ca ?? '';
    expect(trust).toContain(ca.cert.trim());
    expect(trust).toContain(readFileSync(join(kit, 'etc/tls/ca.pem'), 'utf8').trim());
    expect(Math.round((Date.parse(used.until) - Date.now()) / 86_400_000)).toBe(100);
  });
  it('a registry that nobody has credentials for gets both, shown once, one in the keyring', async () => {
    await c.good('POST', '/api/import', {
      text: 'apiVersion: praesidor/v1\nkind: Registry\nname: bw-second\nsite: bw\nrole: starter\nendpoint: second.bw.kestrelferries.example:5000\n',
    });
    const two = await c.good<typeof made>('POST', '/api/registries/bw-second/kit');
    expect(two.credentials.map((x) => [x.user, x.writes, x.password.length])).toEqual([
      ['keeper', true, 24],
      ['puller', false, 24],
    ]);
    const e = await c.estate();
    expect(e.registries.find((x) => x.name === 'bw-second')?.credential).toBe('bw-second');
    expect(e.keys.some((k) => k.name === 'bw-second')).toBe(true);
  });
  it('only a warden makes kits, and none for what stands elsewhere', async () => {
    expect((await (await i.as('builder')).call('POST', '/api/registries/tst-registry/kit')).status).toBe(403);
    expect((await c.call('POST', '/api/registries/upstream/kit')).status).toBe(422);
  });
});
