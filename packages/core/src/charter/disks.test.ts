import { reasonText } from './reasons.ts';
import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import { bootFiles, bootKit, type KitContext, placeholder } from '../files/index.ts';
import { applyEdits, type Charter, type Facts } from '../model/index.ts';
import { disksOf, marksOf, unmarked } from './disks.ts';
import { resolve } from './resolve.ts';

type Disk = Facts['disks'][number];
const disk = (bay: string, sizeGB: number, more: Partial<Disk> = {}): Disk => ({
  bay,
  sizeGB,
  media: 'nvme',
  serial: `S-${bay}`,
  ...more,
});
const node = (disks: Disk[], role: 'control-plane' | 'worker' = 'control-plane', guest?: object) => ({
  role,
  facts: { disks },
  ...(guest ? { guest } : {}),
});
const uses = (n: Parameters<typeof disksOf>[0]) => disksOf(n).map((p) => `${p.use} ${p.disk.bay}`);

describe('disks of a node', () => {
  it('the smallest is for the system, the largest of the others for containers, a third that is solid for members', () => {
    expect(uses(node([disk('2', 1920), disk('1', 480), disk('3', 960)]))).toEqual(['system 1', 'containers 2', 'etcd 3']);
    // of two that are left the smaller one is enough for members; a hard disk is too slow for them
    expect(uses(node([disk('1', 480), disk('2', 1920), disk('3', 960), disk('4', 800)]))).toEqual([
      'system 1',
      'containers 2',
      'etcd 4',
    ]);
    expect(uses(node([disk('1', 480), disk('2', 1920), disk('3', 960, { media: 'hdd' })]))).toEqual(['system 1', 'containers 2']);
  });
  it('a worker has no members, one disk is for everything, none is no disk', () => {
    expect(uses(node([disk('1', 480), disk('2', 1920), disk('3', 960)], 'worker'))).toEqual(['system 1', 'containers 2']);
    expect(uses(node([disk('1', 480)]))).toEqual(['system 1']);
    expect(uses(node([]))).toEqual([]);
  });
  it('equal disks are taken in the order of their bays', () => {
    expect(uses(node([disk('b', 960), disk('a', 960)]))).toEqual(['system a', 'containers b']);
  });
  it("a guest's first disk was written from its image, whatever its size", () => {
    expect(uses(node([disk('vda', 400), disk('vdb', 120)], 'worker', { mould: 'm' }))).toEqual(['containers vdb']);
    expect(uses(node([disk('vda', 60)], 'worker', { mould: 'm' }))).toEqual([]);
  });
  it('serial and WWN are compared as letters and digits', () => {
    expect(marksOf(disk('1', 1, { serial: 'HW-70 002_L', wwn: '0x5000C500A1B2C3D4' }))).toEqual({
      serial: 'hw70002l',
      wwn: '5000c500a1b2c3d4',
    });
    expect(marksOf(disk('1', 1, { wwn: 'eui.0025-3800' })).wwn).toBe('00253800');
  });
  it('what cannot be told apart is named: no mark at all, or one that two share', () => {
    const bays = (disks: Disk[]) => unmarked(node(disks)).map((d) => d.bay);
    expect(bays([disk('1', 480), disk('2', 960)])).toEqual([]);
    expect(bays([disk('1', 480, { serial: undefined }), disk('2', 960)])).toEqual(['1']);
    expect(bays([disk('1', 480, { serial: undefined, wwn: 'naa.1' }), disk('2', 960)])).toEqual([]);
    expect(bays([disk('1', 480, { serial: 'same' }), disk('2', 960, { serial: 'SAME' })])).toEqual(['1', '2']);
  });
});

describe('disks on the sheet', () => {
  it('stand together for hosts alike, apart for others, each with why', () => {
    const e = goodEstate();
    const line = (estate: typeof e) => resolve(estate.charters[0] as Charter, estate).follows.find((f) => f.id === 'disks');
    expect(line(e)?.text).toBe('the system on bay 1, containers on bay 2');
    expect(line(e)?.why.map(reasonText)[0]).toBe(
      'lr-01: bay 1 (480 GB, the smallest) for the system, bay 2 (1920 GB, the largest) for containers',
    );
    const other = applyEdits(e, [
      { op: 'set', kind: 'Host', key: 'lr-01', path: ['facts', 'disks', 2], value: disk('bay 3', 960) },
    ]);
    expect(line(other)?.text).toBe(
      'lr-01: the system on bay 1, containers on bay 2, etcd on bay 3; lr-02 lr-03 lr-04 lr-05 lr-06: the system on bay 1, containers on bay 2',
    );
  });
});

describe('the boot kit of a node with disks', () => {
  const edited = applyEdits(goodEstate(), [
    { op: 'set', kind: 'Host', key: 'lr-01', path: ['facts', 'disks', 2], value: disk('bay 3', 960) },
  ]);
  const given = (installation: string, more: Partial<KitContext> = {}): KitContext => ({
    estate: edited,
    plan: resolve(edited.charters[0] as Charter, edited),
    secret: placeholder('plover'),
    bootUrl: (h) => `http://praesidor.example/boot/${h}`,
    reportUrl: (h) => `http://praesidor.example/report/${h}`,
    installation,
    ...more,
  });
  const lies = (ctx: KitContext, name: string, path: string) =>
    bootKit(ctx).find((f) => f.path === `hosts/${name}/root${path}`)?.content ?? '';
  const mount = (ctx: KitContext, name: string, unit: string) =>
    /^What=(.*)$/m.exec(lies(ctx, name, `/etc/systemd/system/${unit}.mount`))?.[1];

  it('keeps on disks what must outlast a power cut: on one of its own, or beside the system', () => {
    const one = given('build 1');
    const [system, containers, members] = lies(one, 'lr-01', '/etc/praesidor/disks')
      .split('\n')
      .map((l) => l.split(' '));
    expect([system?.[0], system?.[1], containers?.[0], containers?.[1], members?.[0]]).toEqual([
      'system',
      'hw1d1',
      'containers',
      'hw1d2',
      'etcd',
    ]);
    expect(mount(one, 'lr-01', 'var-lib-praesidor')).toBe(`/dev/disk/by-uuid/${system?.[4]}`);
    expect(mount(one, 'lr-01', 'var-lib-containerd')).toBe(`/dev/disk/by-uuid/${containers?.[4]}`);
    expect(mount(one, 'lr-01', 'var-lib-etcd')).toBe(`/dev/disk/by-uuid/${members?.[4]}`);
    // lr-02 has two disks
    expect(mount(one, 'lr-02', 'var-lib-etcd')).toBe('/var/lib/praesidor/etcd');
    expect(mount(one, 'lr-02', 'var-lib-kubelet')).toBe('/var/lib/praesidor/kubelet');
  });
  it('takes what another build, or another host, left on a disk for no data of its own', () => {
    const ids = (installation: string, name: string) =>
      lies(given(installation), name, '/etc/praesidor/disks').match(/[0-9a-f-]{36}/g) ?? [];
    const all = [...ids('build 1', 'lr-01'), ...ids('build 1', 'lr-02'), ...ids('build 2', 'lr-01')];
    expect(all).toHaveLength(16);
    expect(new Set(all).size).toBe(all.length);
    expect(ids('build 1', 'lr-01')).toEqual(ids('build 1', 'lr-01'));
  });
  it('erases only when the build says so', () => {
    const env = (ctx: KitContext) => lies(ctx, 'lr-01', '/etc/praesidor/boot.env');
    expect(env(given('build 1'))).toContain('ERASE="no"');
    expect(env(given('build 1', { erase: (host) => host === 'lr-01' }))).toContain('ERASE="yes"');
    expect(env(given('build 1', { erase: (host) => host === 'lr-02' }))).toContain('ERASE="no"');
  });
  it('tells the kernel where first-boot data are, and who it is: over the network and from its disk', () => {
    const line = (name: string) =>
      bootKit(given('build 1'))
        .find((f) => f.path === `hosts/lr-01/${name}`)
        ?.content.trim() ?? '';
    const id = / systemd\.machine_id=([0-9a-f]{32})$/.exec(line('kernel.cmdline'))?.[1];
    expect(line('kernel.cmdline')).toBe(`ds=nocloud-net;s=http://praesidor.example/boot/lr-01/ systemd.machine_id=${id}`);
    expect(line('disk.cmdline')).toBe(`ds=nocloud systemd.machine_id=${id}`);
  });
  it('keeps out of user-data, which lies on the disk, whom only a build listens to', () => {
    const files = bootFiles(given('build 1'), 'lr-01');
    expect(files['user-data']).not.toContain('phone_home');
    expect(files['vendor-data']).toContain('url: http://praesidor.example/report/lr-01/phone-home');
    expect(files['vendor-data']?.startsWith('#cloud-config\n')).toBe(true);
  });
  it('does nothing to the disk of a guest that has one', () => {
    const { bmc: _, ...h } = host(1);
    const facts = { ...(h.facts as Facts), disks: [disk('vda', 60)] };
    const ctx = given('build 1');
    const plan = {
      ...ctx.plan,
      nodes: [{ ...ctx.plan.nodes[0], facts, guest: { hypervisor: 'hv', mould: 'm' } }],
    } as typeof ctx.plan;
    const script = lies({ ...ctx, plan }, plan.nodes[0]?.host ?? '', '/usr/local/sbin/praesidor-disks');
    expect(script).not.toMatch(/sfdisk|mkfs|wipefs/);
    const boot = (p: typeof plan) => lies({ ...ctx, plan: p }, plan.nodes[0]?.host ?? '', '/usr/local/sbin/praesidor-boot');
    // Its root stays, and with it what cloud-init was told at first: nobody listens to that later.
    expect(boot(plan)).toContain('touch /etc/cloud/cloud-init.disabled\nsync\n');
    expect(boot(ctx.plan)).not.toContain('cloud-init.disabled');
  });
});
