import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { applyEdits, type Charter, type Estate, kinds, type Release } from '../model/index.ts';
import { bootKit, placeholder } from '../files/index.ts';
import { parseAllDocuments, parse } from 'yaml';
import { capacityOf, consequences, overhead, quorumOf, resolve } from './index.ts';

const planned = (e: Estate = goodEstate()) => resolve(e.charters[0] as Charter, e);
const kit = (e: Estate = goodEstate()) =>
  bootKit({
    plan: planned(e),
    estate: e,
    secret: placeholder('plover'),
    installation: 'build 1',
    bootUrl: (h) => `http://praesidor.example/boot/${h}`,
    reportUrl: (h) => `http://praesidor.example/report/${h}`,
  });
const with_ = (path: string[], value: unknown) =>
  applyEdits(goodEstate(), [{ op: 'set', kind: 'Charter', key: 'plover', path, value }]);

describe('capacity without a zone, or a rack', () => {
  it('is what the others have, of the one that holds most', () => {
    const node = (zone: string, rack: string, cores: number) =>
      ({ role: 'worker' as const, zone, rack, facts: { cores, memoryGiB: 64 } }) as never;
    // Zone A has (32 − 1) + (16 − 1) = 46 of 46 + 31 cores, rack R2 31 of them.
    const c = capacityOf([node('A', 'R1', 32), node('A', 'R1', 16), node('B', 'R2', 32)]);
    expect([c.withoutZone, c.withoutRack]).toEqual([
      { name: 'A', cores: 31, memoryGiB: 62 },
      { name: 'R1', cores: 31, memoryGiB: 62 },
    ]);
    expect(capacityOf([node('A', '', 32), node('A', '', 16)])).not.toHaveProperty('withoutZone');
  });
});

describe('arithmetic', () => {
  it.each([
    [1, 1, 0],
    [2, 2, 0],
    [3, 2, 1],
    [4, 3, 1],
    [5, 3, 2],
  ])('%d members: majority %d, %d may be lost', (n, majority, tolerates) => {
    expect(quorumOf(n)).toEqual({ members: n, majority, tolerates });
  });
  it.each([
    ['vxlan', 4, 50],
    ['vxlan', 6, 70],
    ['geneve', 4, 58],
    ['none', 4, 0],
    ['geneve', 6, 78], // 40 + 8 + 16 + 14
    ['ipip', 4, 20],
    ['ipip', 6, 40],
    ['wireguard', 4, 60], // 20 + 8 + 16 + 16
    ['wireguard', 6, 80], // 40 + 8 + 16 + 16
  ] as const)('%s on IPv%d adds %d bytes', (kind, v, n) => {
    expect(overhead(kind, v)).toBe(n);
  });
});

describe('a plan', () => {
  it('spreads the control plane over zones and takes the least that fits', () => {
    // hosts 1 to 3 have 16 cores and are enough; zones B, C, A by number; workers want 32 cores
    expect(new Map(planned().nodes.map((n) => [n.host, `${n.role} ${n.zone}`]))).toEqual(
      new Map([
        ['lr-01', 'control-plane B'],
        ['lr-02', 'control-plane C'],
        ['lr-03', 'control-plane A'],
        ['lr-04', 'worker B'],
        ['lr-05', 'worker C'],
        ['lr-06', 'worker A'],
      ]),
    );
  });
  it('gives addresses in a row from the pool, and the virtual ones from theirs', () => {
    const p = planned();
    expect(p.nodes.map((n) => n.address)).toEqual([
      '10.62.8.32',
      '10.62.8.33',
      '10.62.8.34',
      '10.62.8.35',
      '10.62.8.36',
      '10.62.8.37',
    ]);
    expect([p.api.address, p.inbound.address]).toEqual(['10.62.8.20', '10.62.8.21']);
    expect(p.api.name).toBe('kube.plover.lr.kestrelferries.example');
  });
  it('is the same for the same input', () => {
    expect(planned()).toEqual(planned());
  });
  it('keeps what is held when something else changes', () => {
    const e = goodEstate();
    const first = planned(e);
    const held: Estate = {
      ...e,
      reservations: [...e.reservations, ...first.reservations],
      hosts: e.hosts.map((h) => {
        const n = first.nodes.find((x) => x.host === h.name);
        return n ? { ...h, state: 'held', held: { charter: 'plover', role: n.role } } : h;
      }),
    };
    const grown = applyEdits({ ...held, hosts: held.hosts.filter((h) => h.name !== 'lr-04') }, [
      { op: 'set', kind: 'Charter', key: 'plover', path: ['workers', 'count'], value: 2 },
    ]);
    const after = resolve(grown.charters[0] as Charter, grown);
    for (const n of after.nodes) expect(n.address).toBe(first.nodes.find((x) => x.host === n.host)?.address);
    expect(after.nodes.map((n) => n.host).sort()).toEqual(['lr-01', 'lr-02', 'lr-03', 'lr-05', 'lr-06']);
  });
  it('still knows its nodes once they serve', () => {
    const e = goodEstate();
    const first = planned(e);
    const serving: Estate = {
      ...e,
      reservations: [...e.reservations, ...first.reservations],
      hosts: e.hosts.map((h) => {
        const n = first.nodes.find((x) => x.host === h.name);
        return n ? { ...h, state: 'serving', held: { charter: 'plover', role: n.role } } : h;
      }),
    };
    expect(
      planned(serving)
        .nodes.map((n) => n.host)
        .sort(),
    ).toEqual(first.nodes.map((n) => n.host).sort());
    expect(planned(serving).certificates).toEqual(
      expect.arrayContaining(first.certificates.filter((c) => c.name === 'cluster-ca')),
    );
  });
  it('puts the first service address and every member into the API certificate', () => {
    expect(planned().certificates.find((c) => c.name === 'apiserver')).toMatchObject({
      addresses: ['10.129.0.1', '10.62.8.20', '10.62.8.32', '10.62.8.33', '10.62.8.34'],
    });
  });
  it('computes room, MTU and capacity', () => {
    const p = planned();
    expect(p.room).toEqual({ nodes: 256, podsPerNode: 110, services: 16382 }); // 2^(24−16); min(110, 2^8−2); 2^14−2
    expect(p.podMtu).toEqual({ link: 1500, overhead: 58, pod: 1442 });
    // three workers of 32 cores and 128 GiB: 3 × 31 = 93 cores, 3 × 125.9 = 378 GiB; one less: 62 and 252
    // Each of the three zones holds one of them.
    expect(p.capacity).toMatchObject({ withoutZone: { cores: 62, memoryGiB: 252 } });
    expect(p.capacity).toMatchObject({ cores: 93, memoryGiB: 378, coresAfterLoss: 62, memoryAfterLoss: 252 });
  });
  it('says what it lacks instead of failing', () => {
    const p = resolve(
      { ...(goodEstate().charters[0] as Charter), release: 'none', machineNetwork: 'none', mirror: 'none' },
      goodEstate(),
    );
    expect(p.problems.map((x) => x.about)).toEqual(expect.arrayContaining(['release', 'network', 'mirror', 'bill']));
  });
});

describe('consequences', () => {
  it('of one worker more are a host, an address, records and figures', () => {
    const e = with_(['workers', 'count'], 2);
    const before = resolve(e.charters[0] as Charter, e);
    const after = planned();
    const changes = consequences(before, after, goodEstate());
    expect(changes.filter((c) => c.what === 'host')).toMatchObject([{ how: 'added', after: 'worker' }]);
    expect(changes.filter((c) => c.what === 'record' && c.how === 'added')).toHaveLength(2);
    expect(consequences(after, after, goodEstate())).toEqual([]);
  });
});

describe('a boot kit', () => {
  it('has the same bytes for the same plan', () => {
    expect(kit()).toEqual(kit());
  });
  it("has each host's files and the cluster's, none twice", () => {
    const paths = kit().map((f) => f.path);
    expect(new Set(paths).size).toBe(paths.length);
    for (const p of [
      'hosts/lr-01/user-data',
      'hosts/lr-01/meta-data',
      'hosts/lr-01/network-config',
      'hosts/lr-01/boot.ipxe',
      'hosts/lr-01/root/etc/containerd/certs.d/images.upstream.example/hosts.toml',
      'hosts/lr-04/root/etc/kubernetes/kubelet.yaml',
      'cluster/kubeconfig',
      'cluster/zones/lr.kestrelferries.example.zone',
      'cluster/zones/8.62.10.in-addr.arpa.zone',
      'cluster/dhcp/kea-dhcp4.json',
      'cluster/dhcp/dnsmasq.conf',
      'cluster/summary.md',
    ])
      expect(paths).toContain(p);
    expect(paths.some((p) => p.includes('lr-04/root/etc/kubernetes/manifests'))).toBe(false); // a worker runs no control plane
  });
  it('is YAML where it says so, and carries every file of a node', () => {
    const user = parse(kit().find((f) => f.path === 'hosts/lr-01/user-data')?.content ?? '') as {
      write_files: { path: string }[];
      hostname: string;
    };
    expect(user.hostname).toBe('lr-01');
    expect(user.write_files.map((f) => f.path).sort()).toEqual(
      kit()
        .filter((f) => f.path.startsWith('hosts/lr-01/root/'))
        .map((f) => f.path.replace('hosts/lr-01/root', ''))
        .sort(),
    );
    for (const f of kit().filter((x) => /\.ya?ml$/.test(x.path)))
      for (const d of parseAllDocuments(f.content)) expect((d as { errors: unknown[] }).errors).toEqual([]);
  });
  it('keeps resolvers and addresses through a reboot: nothing is left to DHCP', () => {
    const net = parse(kit().find((f) => f.path === 'hosts/lr-01/network-config')?.content ?? '') as {
      network: { ethernets: { machine: Record<string, unknown> } };
    };
    expect(net.network.ethernets.machine).toMatchObject({
      dhcp4: false,
      nameservers: { addresses: ['10.62.8.53', '10.62.8.54'], search: ['lr.kestrelferries.example'] },
    });
    const on = (path: string) => kit().find((f) => f.path === `hosts/lr-01/root${path}`)?.content;
    expect(on('/etc/systemd/resolved.conf.d/10-praesidor.conf')).toContain(
      'DNS=10.62.8.53 10.62.8.54\nFallbackDNS=\nDomains=lr.kestrelferries.example ~.\n',
    );
    expect(on('/etc/cloud/cloud.cfg.d/99-praesidor-network.cfg')).toContain('network: {config: disabled}');
  });
  it("redirects the source to the mirror and keeps the image's own name", () => {
    expect(kit().find((f) => f.path.endsWith('images.upstream.example/hosts.toml'))?.content).toContain(
      '[host."https://registry.lr.kestrelferries.example:5000"]',
    );
    expect(kit().find((f) => f.path.endsWith('lr-01/root/etc/praesidor/images.list'))?.content).toContain(
      'images.upstream.example/core/kube-apiserver:1.34.2',
    );
  });
  it('carries the network in user-data, under the name and address of the plan, with every route', () => {
    const e = applyEdits(goodEstate(), [
      { op: 'set', kind: 'Network', key: 'lr-machine', path: ['routes'], value: [{ to: '10.70.0.0/16', via: '10.62.8.9' }] },
      { op: 'set', kind: 'Network', key: 'lr-machine', path: ['mtu'], value: 9000 },
    ]);
    const at = (f: string) =>
      kit(e)
        .find((x) => x.path === `hosts/lr-02/root/etc/systemd/network/${f}`)
        ?.content.split('\n');
    const n = planned(e).nodes.find((x) => x.host === 'lr-02');
    expect(at('10-machine.link')).toEqual(['[Match]', `MACAddress=${n?.mac}`, '', '[Link]', 'Name=eno1', 'MTUBytes=9000', '']);
    expect(at('10-machine.network')).toEqual(
      expect.arrayContaining([
        `MACAddress=${n?.mac}`,
        `Address=${n?.address}/25`,
        'DNS=10.62.8.53',
        'DNS=10.62.8.54',
        'Domains=lr.kestrelferries.example',
        'Gateway=10.62.8.1',
        'Destination=10.70.0.0/16',
        'Gateway=10.62.8.9',
        'DHCP=no',
      ]),
    );
  });
  it('taints the control plane where workers run what it does not, and nowhere else', () => {
    const taints = (count: number) => {
      const e = with_(['workers', 'count'], count);
      const text = kit(e).find((f) => f.path === 'hosts/lr-01/root/etc/kubernetes/kubelet.yaml')?.content ?? '';
      return (parse(text) as { registerWithTaints?: unknown[] }).registerWithTaints?.length ?? 0;
    };
    expect([taints(3), taints(0)]).toEqual([1, 0]);
  });
  it('has an API address with one control-plane host too', () => {
    const e = applyEdits(with_(['controlPlane', 'count'], 1), []);
    const conf = kit(e).find((f) => f.path.endsWith('/etc/keepalived/keepalived.conf'))?.content ?? '';
    expect(conf).toContain('10.62.8.20/25');
  });
  it('names secrets and shows none', () => {
    for (const f of kit()) expect(f.content).not.toContain('PRIVATE KEY');
  });
  it('starts the first etcd member alone and lets each later one join', () => {
    const [first, , third] = planned().nodes;
    const etcd = (h: string | undefined) =>
      kit().find((f) => f.path === `hosts/${h}/root/etc/kubernetes/manifests/etcd.yaml`)?.content ?? '';
    expect(etcd(first?.host)).toContain('--initial-cluster-state=new');
    expect(etcd(third?.host)).toContain('--initial-cluster-state=existing');
    expect(etcd(third?.host).match(/https:\/\/10\.62\.8\.\d+:2380/g)?.length).toBeGreaterThanOrEqual(4); // three members, and its own peer address
  });
});

describe('addresses that the plan speaks for', () => {
  const other = { ...goodEstate().charters[0], name: 'gannet' } as Charter;
  const beside = (more: object): Estate => {
    const e = goodEstate();
    return { ...e, charters: [...e.charters, { ...other, ...more } as Charter] };
  };
  it('are given to no node and no virtual address: pools and fixed addresses of other charters, resolvers, time servers', () => {
    const free = planned();
    const first = [...free.nodes.map((n) => n.address)].sort()[0] as string;
    // Whatever the charter would have taken first is another's service pool now.
    const e = beside({ servicePool: { range: `${first}-${first}` }, api: { address: free.api.address } });
    const p = planned(e);
    expect(p.nodes.map((n) => n.address)).not.toContain(first);
    expect(p.api.address).not.toBe(free.api.address);
    const taken = [p.api.address, p.inbound.address, ...p.nodes.map((n) => n.address)];
    for (const a of ['10.62.8.53', '10.62.8.54', '10.62.8.60']) expect(taken).not.toContain(a);
  });
  it('are still its own, when the charter is the one that speaks for them', () => {
    const own = with_(['api', 'address'], '10.62.8.22');
    expect(planned(own).api.address).toBe('10.62.8.22');
  });
  it.each(['10.98.0.0/32', '10.98.0.0/29', 'fd00::/125'])('service range %s is too small for the API and the DNS', (range) => {
    const c = goodEstate().charters[0] as Charter;
    const read = kinds.Charter.safeParse({ ...c, services: { range } });
    expect(read.error?.issues[0]).toMatchObject({
      path: ['services', 'range'],
      message: expect.stringContaining('fewer than 16'),
    });
  });
  it('a service range of 16 addresses has 14 services, and its DNS lies in it', () => {
    // 2^(32 − 28) − 2 = 14
    expect(planned(with_(['services', 'range'], '10.98.0.0/28')).room.services).toBe(14);
  });
});

describe('what a fault put in would show', () => {
  it('capacity after a loss is without the largest worker, of workers that differ', () => {
    const worker = (cores: number, memoryGiB: number) => ({ role: 'worker', facts: { cores, memoryGiB } }) as never;
    // 9, 17 and 33 cores less 1 each: 8 + 16 + 32 = 56, without the largest 24; memory 10, 20 and 40 less 2.1: 63.7, without 37.9: 25.8
    expect(capacityOf([worker(9, 10), worker(17, 20), worker(33, 40)])).toEqual({
      cores: 56,
      memoryGiB: 64,
      coresAfterLoss: 24,
      memoryAfterLoss: 26,
    });
  });
  it('zones come before the least that fits: of four hosts alike, two of one zone are not taken together', () => {
    const e = goodEstate();
    const zones: Record<string, string> = { 'lr-01': 'A', 'lr-02': 'A', 'lr-03': 'B', 'lr-04': 'C' };
    const c = { ...(e.charters[0] as Charter), workers: { count: 0 } } as Charter;
    const hosts = e.hosts.filter((h) => zones[h.name]).map((h) => ({ ...h, zone: zones[h.name] as string }));
    const chosen = resolve(c, { ...e, hosts, charters: [c] }).nodes.map((n) => n.host);
    // lr-04 is larger than is needed, and lies in a zone of its own.
    expect(chosen.sort()).toEqual(['lr-01', 'lr-03', 'lr-04']);
  });
  it('a host that is held in one role is not taken for the other', () => {
    const e = goodEstate();
    const held = (role: 'worker' | 'control-plane'): Estate => ({
      ...e,
      hosts: e.hosts.map((h) => (h.name === 'lr-01' ? { ...h, state: 'held' as const, held: { charter: 'plover', role } } : h)),
    });
    const roleOf = (x: Estate) => planned(x).nodes.find((n) => n.host === 'lr-01')?.role;
    expect(roleOf(held('control-plane'))).toBe('control-plane');
    // Too small for a worker, and kept for that all the same: it is nobody's then, and not quietly the other.
    expect(roleOf(held('worker'))).toBeUndefined();
  });
  it('hosts of one zone are taken from different racks', () => {
    const e = goodEstate();
    const racks: Record<string, string> = { 'lr-01': 'R1', 'lr-02': 'R1', 'lr-03': 'R2' };
    const one: Estate = {
      ...e,
      hosts: e.hosts
        .filter((h) => racks[h.name])
        .map((h) => ({
          ...h,
          zone: 'A',
          rack: racks[h.name] as string,
          facts: { ...(h.facts as never as object), cores: 32, memoryGiB: 128 } as never,
        })),
    };
    const c = { ...(e.charters[0] as Charter), controlPlane: { count: 2 }, workers: { count: 0 } } as Charter;
    // By name alone lr-01 and lr-02 would be taken, which share a rack.
    expect(
      resolve(c, { ...one, charters: [c] })
        .nodes.map((n) => n.host)
        .sort(),
    ).toEqual(['lr-01', 'lr-03']);
  });
  it('a pod MTU that is set is what the plan has', () => {
    expect(planned(with_(['overlay', 'mtu'], 1400)).podMtu).toEqual({ link: 1500, overhead: 58, pod: 1400 });
  });
  it('what goes is told as going, with what it was', () => {
    const e = with_(['workers', 'count'], 2);
    const less = consequences(planned(), resolve(e.charters[0] as Charter, e), goodEstate());
    const gone = planned()
      .nodes.filter((n) => n.role === 'worker')
      .at(-1)?.host as string;
    expect(less).toContainEqual(expect.objectContaining({ what: 'host', how: 'removed', subject: gone, before: 'worker' }));
    expect(less.filter((c) => c.what === 'record' && c.how === 'removed')).toHaveLength(2);
    expect(less.filter((c) => c.what === 'address' && c.how === 'removed')).toHaveLength(1);
  });
  it('what is another is told as changed, with both values', () => {
    const e = with_(['api', 'address'], '10.62.8.25');
    const changes = consequences(planned(), resolve(e.charters[0] as Charter, e), goodEstate());
    expect(changes).toContainEqual(
      expect.objectContaining({ what: 'address', how: 'changed', subject: 'api', before: '10.62.8.20', after: '10.62.8.25' }),
    );
  });
  it('a host that serves and goes must be drained; one that only was held, or comes, need not', () => {
    const e = goodEstate();
    const charter = e.charters[0] as Charter;
    const fewer = resolve({ ...charter, workers: { ...charter.workers, count: 2 } }, e);
    const serve = (x: Estate): Estate => ({ ...x, hosts: x.hosts.map((h) => ({ ...h, state: 'serving' as const })) });
    const of = (changes: ReturnType<typeof consequences>) => changes.filter((c) => c.what === 'host').map((c) => c.disruptive);
    expect(of(consequences(planned(), fewer, serve(e)))).toEqual(['the host serves: it must be drained first']);
    expect(of(consequences(planned(), fewer, e))).toEqual([undefined]);
    expect(of(consequences(fewer, planned(), serve(e)))).toEqual([undefined]);
  });
  it('a name that stands for many has no way back; what else has a name does', () => {
    const records = consequences(undefined, planned(), goodEstate()).filter((c) => c.what === 'record');
    const p = planned();
    const named = p.reservations.filter((r) => r.name);
    const many = named.filter((r) => r.name?.startsWith('*'));
    expect(many).toHaveLength(1);
    expect(records.filter((c) => c.subject.endsWith(' A'))).toHaveLength(named.length);
    expect(records.filter((c) => c.subject.endsWith(' PTR'))).toHaveLength(named.length - many.length);
  });
  it('another API address is another certificate of the API, and of nothing else', () => {
    const e = with_(['api', 'address'], '10.62.8.25');
    const certificates = consequences(planned(), resolve(e.charters[0] as Charter, e), goodEstate()).filter(
      (c) => c.what === 'certificate',
    );
    expect(certificates.map((c) => [c.subject, c.how])).toEqual([[expect.stringContaining('apiserver'), 'changed']]);
    expect([certificates[0]?.before, certificates[0]?.after]).toEqual([
      expect.stringContaining('10.62.8.20'),
      expect.stringContaining('10.62.8.25'),
    ]);
  });
  describe('another release', () => {
    const e = goodEstate();
    const old = e.releases[0] as Release;
    /** The consequences of going from the release that stands to one of that version; plover serves, or does not. */
    const to = (version: string, serves: boolean, more: Partial<Release> = {}) => {
      const next = { ...old, ...more, name: version, version };
      const estate: Estate = {
        ...e,
        releases: [old, next],
        hosts: e.hosts.map((h) =>
          serves ? { ...h, state: 'serving' as const, held: { charter: 'plover', role: 'worker' as const } } : h,
        ),
      };
      const charter = estate.charters[0] as Charter;
      return consequences(resolve(charter, estate), resolve({ ...charter, release: version }, estate), estate).find(
        (c) => c.what === 'release',
      );
    };
    const [major, minor, patch] = old.version.split('.').map(Number) as [number, number, number];
    it('stands among what changes, with both names', () => {
      expect(to(`${major}.${minor + 1}.0`, true)).toEqual({
        what: 'release',
        how: 'changed',
        subject: 'release',
        before: old.name,
        after: `${major}.${minor + 1}.0`,
      });
    });
    it.each([
      [`${major}.${minor - 1}.${patch}`, {}, 'does not go back'],
      [`${major}.${minor + 2}.0`, {}, 'one minor version at a time'],
      [`${major}.${minor + 1}.0`, { upgradesFrom: `>=${major}.${minor}.99` }, 'takes over clusters of'],
    ])('%s %o cannot be gone to by a cluster that stands: %s', (version, more, why) => {
      expect(to(version, true, more)?.disruptive).toContain(why);
      expect(to(version, false, more)?.disruptive).toBeUndefined();
    });
  });
});
