import { type ChildProcess, execFile, spawn } from 'node:child_process';
import { appendFileSync, existsSync, mkdtempSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { anywhere, Dialer, Exits, parseAddressMap } from '@praesidor/protocols/dial';
import { type EtcdAt, etcdMembers, etcdSnapshot, removeEtcdMember } from '@praesidor/protocols/etcd';
import type { PlannedCertificate } from '@praesidor/core/charter';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { issue } from '../src/areas/clusters/pki.ts';
import { eventually, freePort } from './installation.ts';

/** What a change asks of etcd, asked of Debian's: three members on loopback, each with a certificate of one authority. */
const able = existsSync('/usr/bin/etcd') && existsSync('/usr/bin/etcdctl');
if (!able) process.stderr.write('etcd is not installed: what a change asks of it is not tried.\n');

/** An authority, and a certificate of it, as a cluster has them for its etcd. */
async function issued(authority: string, member: string) {
  const base = { names: [], addresses: [], server: true, client: true, days: 30 };
  const secrets = new Map<string, string>();
  const make = async (c: Partial<PlannedCertificate> & Pick<PlannedCertificate, 'name' | 'commonName' | 'signer'>) => {
    const made = await issue({ ...base, ...c }, secrets);
    secrets.set(`${c.name}.crt`, made.cert).set(`${c.name}.key`, made.key);
    return made;
  };
  const ca = await make({ name: 'etcd-ca', commonName: authority, signer: 'self' });
  const pair = await make({ name: 'm', commonName: member, signer: 'etcd-ca', names: ['localhost'], addresses: ['127.0.0.1'] });
  return { ca, pair };
}

describe.runIf(able)('members of etcd', () => {
  const dir = mkdtempSync(join(tmpdir(), 'members-'));
  const running = new Map<string, ChildProcess>();
  const ports = new Map<string, { client: number; peer: number }>();
  let pair: { cert: string; key: string };
  let ca: { cert: string };
  const file = (name: string) => join(dir, name);
  const dialer = new Dialer(new Exits(parseAddressMap(''), anywhere), async () => '127.0.0.1');
  const at = (name: string, more: Partial<EtcdAt> = {}): EtcdAt => ({
    dialer,
    host: 'localhost',
    address: '127.0.0.1',
    port: ports.get(name)?.client ?? 0,
    ca: ca.cert,
    certificate: pair.cert,
    key: pair.key,
    ...more,
  });
  const start = (name: string, cluster: string[], state: string) => {
    const p = ports.get(name);
    const url = (port: number | undefined) => `https://127.0.0.1:${port}`;
    const tls = (kind: string) => [
      `--${kind}cert-file=${file('crt')}`,
      `--${kind}key-file=${file('key')}`,
      `--${kind}trusted-ca-file=${file('ca')}`,
    ];
    running.set(
      name,
      spawn(
        'etcd',
        [
          ...[`--name=${name}`, `--data-dir=${file(name)}`, '--client-cert-auth', '--peer-client-cert-auth'],
          ...[`--listen-client-urls=${url(p?.client)}`, `--advertise-client-urls=${url(p?.client)}`],
          ...[`--listen-peer-urls=${url(p?.peer)}`, `--initial-advertise-peer-urls=${url(p?.peer)}`],
          `--initial-cluster=${cluster.map((n) => `${n}=${url(ports.get(n)?.peer)}`).join(',')}`,
          ...[`--initial-cluster-state=${state}`, ...tls(''), ...tls('peer-')],
        ],
        { stdio: 'ignore' },
      ),
    );
  };
  const etcdctl = (...args: string[]) => promisify(execFile)('etcdctl', args, { env: { ...process.env, ETCDCTL_API: '3' } });

  beforeAll(async () => {
    const secrets = await issued('etcd CA', 'member');
    ca = secrets.ca;
    pair = secrets.pair;
    writeFileSync(file('ca'), ca.cert);
    writeFileSync(file('crt'), pair.cert);
    writeFileSync(file('key'), pair.key);
    const names = ['one', 'two', 'three'];
    for (const n of names) ports.set(n, { client: await freePort(), peer: await freePort() });
    for (const n of names) start(n, names, 'new');
    await eventually(async () => (await etcdMembers(at('one')).catch(() => [])).length === 3, 'three members');
  });
  afterAll(() => {
    for (const c of running.values()) c.kill('SIGKILL');
    rmSync(dir, { recursive: true, force: true });
  });

  it('are told with their names and where they speak with each other', async () => {
    const list = await etcdMembers(at('two'));
    expect(list.map((m) => m.name).sort()).toEqual(['one', 'three', 'two']);
    expect(list.find((m) => m.name === 'one')?.peers).toEqual([`https://127.0.0.1:${ports.get('one')?.peer}`]);
    expect(list.every((m) => /^\d{10,20}$/.test(m.id))).toBe(true);
  });
  it('give all that they hold as a file that etcd itself takes for whole', async () => {
    const tls = [`--cacert=${file('ca')}`, `--cert=${file('crt')}`, `--key=${file('key')}`];
    const end = `--endpoints=https://localhost:${ports.get('one')?.client}`;
    for (let n = 0; n < 40; n++) await etcdctl(end, ...tls, 'put', `buoy/${n}`, 'x'.repeat(5000));
    const snapshot = file('snapshot.db');
    writeFileSync(snapshot, '');
    await etcdSnapshot(at('one'), async (piece) => appendFileSync(snapshot, piece));
    const { stdout } = await etcdctl('snapshot', 'status', snapshot, '-w', 'json');
    expect(JSON.parse(stdout).totalKey).toBeGreaterThanOrEqual(40);
    // It is etcd that says so: of half of it, it says that it is none.
    truncateSync(snapshot, 100_000);
    await expect(etcdctl('snapshot', 'status', snapshot)).rejects.toThrow();
  });
  it('are taken out one by one, and the others go on', async () => {
    const three = (await etcdMembers(at('one'))).find((m) => m.name === 'three');
    // Members that met a moment ago are asked to wait (“unhealthy cluster”).
    const gone = () =>
      removeEtcdMember(at('one'), three?.id ?? '').then(
        () => true,
        () => false,
      );
    await eventually(gone, 'etcd lets it go');
    expect((await etcdMembers(at('one'))).map((m) => m.name).sort()).toEqual(['one', 'two']);
    // Who led may be the one that is gone: the others choose first.
    const said = () => removeEtcdMember(at('one'), three?.id ?? '').then(String, (e: Error) => e.message);
    await eventually(async () => /member not found/.test(await said()), 'etcd to say that it has no such member');
  });
  it('are asked by nobody without a certificate of their authority', async () => {
    const { ca: other, pair: stranger } = await issued('other CA', 'stranger');
    await expect(etcdMembers(at('one', { certificate: stranger.cert, key: stranger.key }))).rejects.toThrow();
    await expect(etcdMembers(at('one', { ca: other.cert }))).rejects.toThrow(/certificate/);
  });
});
