import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { parse as parseToml } from 'smol-toml';
import * as extensions from 'kubernetes-models/apiextensions.k8s.io/v1';
import * as apps from 'kubernetes-models/apps/v1';
import * as rbac from 'kubernetes-models/rbac.authorization.k8s.io/v1';
import * as storage from 'kubernetes-models/storage.k8s.io/v1';
import * as core from 'kubernetes-models/v1';
import { afterAll, describe, expect, it } from 'vitest';
import { parseAllDocuments } from 'yaml';
import { resolve } from '../src/charter/index.ts';
import { bootKit, placeholder } from '../src/files/index.ts';
import { applyEdits, type Charter } from '../src/model/index.ts';
import { goodEstate, network } from './estate.ts';

/** The boot kit before programs that will read it; each where it is installed. */
const dir = mkdtempSync(join(tmpdir(), 'praesidor-kit-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));

const estate = applyEdits(goodEstate(), [
  { op: 'set', kind: 'Network', key: 'lr-machine', path: ['resolvers'], value: '10.62.8.54; 10.62.8.53' },
  ...(
    [
      ['workers', { count: 2, labels: ['disk=fast', 'line.example/row=3'], taints: [] }],
      ['pools', [{ name: 'archive', count: 1, roles: ['storage'], taints: ['use=archive:NoSchedule', 'rare:PreferNoSchedule'] }]],
      [
        'storage',
        [
          { name: 'safe', kind: 'copies', standard: true },
          { name: 'fast', kind: 'local', reclaim: 'delete' },
          { name: 'shared', kind: 'nfs', server: '10.62.8.70', path: '/export/plover' },
        ],
      ],
      ['networks', ['lr-volumes']],
      ['second', { network: 'lr-machine-six', pods: 'fd00:128::/48', perNode: 64, services: 'fd00:129::/112' }],
      ['syslog', 'logs.lr.kestrelferries.example:6514'],
      ['timezone', 'Europe/Lisbon'],
      ['ntp', '10.62.8.61; 10.62.8.62'],
    ] as const
  ).map(([path, value]) => ({ op: 'set' as const, kind: 'Charter' as const, key: 'plover', path: [path], value })),
  { op: 'put', doc: network('lr-machine-six', 'machine', 'fd00:62:8::/64', 812, { gateway: 'fd00:62:8::1' }) },
  { op: 'put', doc: network('lr-volumes', 'storage', '10.62.12.0/26', 820) },
  {
    op: 'set',
    kind: 'Release',
    key: '1.34.2',
    path: ['components'],
    value: [
      ...(goodEstate().releases[0]?.components ?? []),
      ...['volume-controller', 'volume-node'].map((name) => ({
        name,
        image: `images.upstream.example/core/${name}:1.34.2`,
        on: 'cluster',
      })),
    ],
  },
  { op: 'set', kind: 'Charter', key: 'plover', path: ['purpose'], value: 'quotes " and: colons # and hashes' },
]);
const kit = bootKit({
  estate,
  plan: resolve(estate.charters[0] as Charter, estate),
  secret: placeholder('plover'),
  installation: 'build 1',
  bootUrl: (host) => `http://10.62.8.9:8080/boot/token-${host}`,
  reportUrl: (host) => `http://10.62.8.9:8080/boot/report-${host}`,
});
for (const f of kit) {
  mkdirSync(dirname(join(dir, f.path)), { recursive: true });
  writeFileSync(join(dir, f.path), f.content, { mode: 0o600 });
}
/** One of the control plane and one worker: the others differ in names and addresses only. */
const hosts = ['lr-01', 'lr-06'];
const which = (command: string) => ['/usr/bin', '/usr/sbin', '/bin'].map((d) => join(d, command)).find(existsSync);
const run = (command: string, args: string[], input?: string) => {
  const r = spawnSync(command, args, { encoding: 'utf8', cwd: dir, ...(input === undefined ? {} : { input }) });
  return { good: r.status === 0, said: `${r.stdout}${r.stderr}`.slice(0, 800) };
};
const good = { good: true, said: expect.any(String) as string };

describe.runIf(which('haproxy'))('haproxy', () => {
  it.each(['lr-01', 'lr-03'])('takes the load balancer of %s without a warning', (host) => {
    expect(run('haproxy', ['-c', '-dW', '-f', `hosts/${host}/root/etc/haproxy/haproxy.cfg`])).toEqual(good);
  });
});
describe.runIf(which('cloud-init'))('cloud-init', () => {
  it.each(hosts)('takes the user data of %s', (host) => {
    for (const data of ['user-data', 'vendor-data'])
      expect(run('cloud-init', ['schema', '--config-file', `hosts/${host}/${data}`])).toEqual(good);
  });
});
describe.runIf(which('containerd'))('containerd', () => {
  it.each(hosts)('takes its configuration on %s, and has mirrors, sandbox and cgroup driver from it', (host) => {
    const text = kit.find((f) => f.path === `hosts/${host}/root/etc/containerd/config.toml`)?.content ?? '';
    const r = spawnSync('containerd', ['--config', `hosts/${host}/root/etc/containerd/config.toml`, 'config', 'dump'], {
      encoding: 'utf8',
      cwd: dir,
    });
    expect([r.status, text.length > 0]).toEqual([0, true]);
    const dump = parseToml(r.stdout) as unknown as { plugins: Record<string, Runtime> };
    const cri = dump.plugins['io.containerd.grpc.v1.cri'] as Runtime;
    expect(cri.registry.config_path).toBe('/etc/containerd/certs.d');
    expect(cri.containerd.runtimes.runc.options.SystemdCgroup).toBe(true);
    // The sandbox is one of the images that the node pulls before it joins.
    const list = kit.find((f) => f.path === `hosts/${host}/root/etc/praesidor/images.list`)?.content.split('\n');
    expect(list).toContain(cri.sandbox_image);
  });
});
interface Runtime {
  sandbox_image: string;
  registry: { config_path: string };
  containerd: { runtimes: { runc: { options: { SystemdCgroup: boolean } } } };
}
describe.runIf(which('systemd-analyze'))('systemd', () => {
  it.each([
    ['praesidor-boot.service', '/usr/local/sbin/praesidor-boot'],
    ['kubelet.service', '/usr/bin/kubelet'],
  ])('takes the unit %s', (unit, program) => {
    const text = kit.find((f) => f.path === `hosts/lr-01/root/etc/systemd/system/${unit}`)?.content ?? '';
    expect(text).toContain(`ExecStart=${program}`);
    // The program itself is not on this machine.
    const file = join(dir, unit);
    writeFileSync(file, text.replaceAll(program, '/bin/true').replace(/ containerd\.service/g, ''));
    expect(run('systemd-analyze', ['verify', '--man=no', file])).toEqual({ good: true, said: '' });
    writeFileSync(file, text.replaceAll(program, '/bin/true').replace('[Service]', '[Servce]'));
    expect(run('systemd-analyze', ['verify', '--man=no', file]).said).not.toBe('');
  });
});
describe.runIf(which('systemd-analyze'))('systemd, of what is mounted', () => {
  const units = kit.filter((f) => f.path.startsWith('hosts/lr-01/root/') && f.path.endsWith('.mount'));
  it.each(units.map((f) => [f.path.split('/').at(-1) as string, f.content]))('takes %s', (name, text) => {
    const file = join(dir, name);
    writeFileSync(file, text.replace(/^Before=.*$/m, ''));
    expect(run('systemd-analyze', ['verify', '--man=no', file])).toEqual({ good: true, said: '' });
    // Another name than the path is refused.
    const other = join(dir, `other-${name}`);
    writeFileSync(other, text);
    expect(run('systemd-analyze', ['verify', '--man=no', other]).said).toMatch(/Where= setting doesn't match unit name/);
  });
});
describe.runIf(which('rsyslogd'))('rsyslog', () => {
  it('takes where logs go, and a word that is none is refused', () => {
    const file = 'hosts/lr-01/root/etc/rsyslog.d/30-praesidor.conf';
    const text = kit.find((f) => f.path === file)?.content ?? '';
    expect(text).toContain('target="logs.lr.kestrelferries.example" port="6514" protocol="tcp"');
    expect(run('rsyslogd', ['-N1', '-f', join(dir, file)])).toEqual(good);
    writeFileSync(join(dir, 'wrong.conf'), text.replace('omfwd', 'omforward'));
    expect(run('rsyslogd', ['-N1', '-f', join(dir, 'wrong.conf')]).good).toBe(false);
  });
});
describe.runIf(which('systemd-tmpfiles'))('systemd-tmpfiles', () => {
  it('makes the folders of local volumes, on the hosts that have them and on no other', () => {
    const file = 'etc/tmpfiles.d/praesidor-volumes.conf';
    expect(kit.filter((f) => f.path.endsWith(file)).map((f) => f.path.split('/')[1])).toEqual(['lr-06']);
    const root = join(dir, 'tmpfiles');
    mkdirSync(root);
    expect(run('systemd-tmpfiles', ['--create', `--root=${root}`, join(dir, 'hosts/lr-06/root', file)])).toEqual({
      good: true,
      said: '',
    });
    expect(existsSync(join(root, 'var/lib/containerd/volumes/fast'))).toBe(true);
  });
});
describe.runIf(which('netplan'))('netplan', () => {
  it.each(hosts)('takes the network of %s, with the resolvers of its network', (host) => {
    const root = join(dir, 'netplan', host);
    mkdirSync(join(root, 'etc/netplan'), { recursive: true });
    const text = kit.find((f) => f.path === `hosts/${host}/network-config`)?.content ?? '';
    expect(text).toMatch(/addresses:\s+- 10\.62\.8\.54\s+- 10\.62\.8\.53/);
    writeFileSync(join(root, 'etc/netplan/10.yaml'), text, { mode: 0o600 });
    expect(run('netplan', ['generate', '--root-dir', root])).toEqual(good);
    writeFileSync(join(root, 'etc/netplan/10.yaml'), text.replace('10.62.8.', '10.62.800.'), { mode: 0o600 });
    expect(run('netplan', ['generate', '--root-dir', root]).good).toBe(false);
  });
});
describe("the API's own description of its objects", () => {
  const models = { ...core, ...apps, ...rbac, ...storage, ...extensions } as unknown as Record<
    string,
    new (
      data: unknown,
    ) => { validate(): void }
  >;
  const objects = kit
    .filter((f) => /cluster\/manifests\/|lr-01\/root\/etc\/kubernetes\/manifests\//.test(f.path))
    .flatMap((f) =>
      parseAllDocuments(f.content).map((d) => (d as { toJS(): { kind: string; metadata: { name: string } } }).toJS()),
    );
  it.each(objects.map((o) => [o.kind, o.metadata.name, o] as const))('takes %s %s', (kind, _, o) => {
    const Model = models[kind] as (typeof models)[string];
    expect(() => new Model(o).validate()).not.toThrow();
    expect(() => new Model({ ...o, metadata: { name: 7 } }).validate()).toThrow();
  });
  it('has seen all kinds that the kit gives', () => {
    expect([...new Set(objects.map((o) => o.kind))].sort()).toEqual(
      [
        'CSIDriver',
        'ClusterRole',
        'ClusterRoleBinding',
        'ConfigMap',
        'CustomResourceDefinition',
        'DaemonSet',
        'Deployment',
        'PersistentVolume',
        'Pod',
        'Service',
        'ServiceAccount',
        'StorageClass',
      ].sort(),
    );
  });
});
describe('a shell', () => {
  it.each(
    hosts.flatMap((h) =>
      ['praesidor-boot', 'praesidor-prepare', 'praesidor-disks', 'praesidor-report'].map((s) => [h, s] as const),
    ),
  )('takes of %s %s', (host, script) => {
    expect(run('sh', ['-n', `hosts/${host}/root/usr/local/sbin/${script}`])).toEqual({ good: true, said: '' });
  });
});
describe.runIf(which('python3') && run('python3', ['-c', 'import tomllib']).good)('a TOML parser', () => {
  it('reads the mirrors, the standing one first and the source never', () => {
    const code = "import sys, json, tomllib; print(json.dumps(tomllib.load(open(sys.argv[1], 'rb'))))";
    for (const f of kit.filter((x) => x.path.startsWith('hosts/lr-06/') && x.path.endsWith('hosts.toml'))) {
      const r = run('python3', ['-c', code, f.path]);
      expect(r.good).toBe(true);
      const read = JSON.parse(r.said) as { server: string; host: Record<string, { capabilities: string[] }> };
      expect([read.server, Object.keys(read.host)]).toEqual([
        'https://registry.lr.kestrelferries.example:5000',
        ['https://registry.lr.kestrelferries.example:5000'],
      ]);
    }
  });
});
describe('iPXE', () => {
  it.each(hosts)('is told its own name by the first line, and asks for nothing that is not there: %s', (host) => {
    const text = kit.find((f) => f.path === `hosts/${host}/boot.ipxe`)?.content ?? '';
    expect(text.startsWith('#!ipxe\n')).toBe(true);
    expect(text).toContain(`http://10.62.8.9:8080/boot/token-${host}`);
    expect(text).not.toMatch(/undefined|\[object/);
  });
});
