import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { check } from '../checks/index.ts';
import { bootKit, placeholder } from '../files/index.ts';
import { applyEdits, type Charter, type Estate, kinds } from '../model/index.ts';
import { secondsText } from '../words/index.ts';
import { aspects } from './aspects/index.ts';
import { comesAbout, reasonText, resolve, ruledPaths, rules, ways } from './index.ts';

const set = (path: string[], value: unknown, e: Estate = goodEstate()) =>
  applyEdits(e, [{ op: 'set', kind: 'Charter', key: 'plover', path, value }]);
const planIn = (e: Estate) => resolve(e.charters[0] as Charter, e);
const kit = (e: Estate) =>
  new Map(
    bootKit({
      plan: planIn(e),
      estate: e,
      secret: placeholder('plover'),
      installation: 'plover',
      bootUrl: () => 'b',
      reportUrl: () => 'r',
    }).map((f) => [f.path, f]),
  );
const line = (e: Estate, id: string) => planIn(e).follows.find((f) => f.id === id);

describe('aspects', () => {
  it('have names of their own, and every rule that a reason names has words', () => {
    expect(new Set(aspects.map((a) => a.name)).size).toBe(aspects.length);
    const e = set(['proxy'], { url: 'http://proxy.lr.kestrelferries.example:3128' });
    for (const f of planIn(e).follows)
      for (const r of f.why) {
        expect(rules).toContain(r.rule);
        expect(reasonText(r)).toMatch(/^\S.*\S$/);
        expect(reasonText(r)).not.toMatch(/undefined|NaN/);
      }
  });
  it('a reason names a field that a charter has', () => {
    const shape = new Set(Object.keys(kinds.Charter.shape));
    for (const f of planIn(goodEstate()).follows) for (const r of f.why) if (r.field) expect(shape).toContain(String(r.field[0]));
  });
});

describe('a host that is lost', () => {
  it('is known by its lease, and its pods move after grace and toleration', () => {
    // 50 s without a sign, 300 s more: 350 s
    expect(line(goodEstate(), 'timers')?.text).toBe('known after 50 s, its pods elsewhere after 5 min 50 s');
    const e = set(['timers'], { grace: 60, tolerate: 0 });
    expect(line(e, 'timers')?.text).toBe('known after 1 min, its pods elsewhere after 1 min');
    expect(planIn(e).timers).toEqual({ lease: 40, grace: 60, tolerate: 0, stop: 30, moved: 60 });
  });
  it('is told to the API server, the controller manager and the kubelet', () => {
    const files = kit(set(['timers'], { grace: 60, tolerate: 90, lease: 20, stop: 45 }));
    const at = (path: string) => files.get(`hosts/lr-01/root${path}`)?.content ?? '';
    expect(at('/etc/kubernetes/manifests/kube-apiserver.yaml')).toContain('--default-unreachable-toleration-seconds=90');
    expect(at('/etc/kubernetes/manifests/kube-controller-manager.yaml')).toContain('--node-monitor-grace-period=60s');
    expect(at('/etc/kubernetes/kubelet.yaml')).toMatch(
      /nodeLeaseDurationSeconds: 20[\s\S]*shutdownGracePeriod: 45s\nshutdownGracePeriodCriticalPods: 15s/,
    );
  });
  it.each([10, 40, 120, 600])('that renews a lease of %d s is waited for long enough where nothing is set', (lease) => {
    const e = set(['timers'], { lease });
    expect(planIn(e).timers.grace).toBeGreaterThanOrEqual((lease / 4) * 5);
    expect(check(e).findings).toEqual([]);
    // Set too low, letting it follow mends it.
    const low = set(['timers'], { lease, grace: 10 });
    const f = check(low).findings.find((x) => x.code === 'CHT-024');
    if (f) expect(check(applyEdits(low, f.remedy?.edits ?? [])).findings).toEqual([]);
  });
  it.each([
    [0, '0 s'],
    [59, '59 s'],
    [300, '5 min'],
    [340, '5 min 40 s'],
    [7500, '2 h 5 min'],
  ])('%d seconds are said as %s', (n, text) => expect(secondsText(n)).toBe(text));
});

describe('a proxy', () => {
  it('is written for the runtime, with what is asked directly: the cluster, the site, the mirror, and what was named', () => {
    const e = set(['proxy'], { url: 'http://proxy.lr.kestrelferries.example:3128', except: ['.bw.kestrelferries.example'] });
    const conf = kit(e).get('hosts/lr-01/root/etc/systemd/system/containerd.service.d/proxy.conf');
    expect(conf?.from).toEqual(['charter.proxy']);
    expect(conf?.content).toContain('Environment="HTTPS_PROXY=http://proxy.lr.kestrelferries.example:3128"');
    const except = /NO_PROXY=(.*)"/.exec(conf?.content ?? '')?.[1]?.split(',');
    for (const x of [
      '127.0.0.1',
      '10.128.0.0/16',
      '10.129.0.0/18',
      '10.62.8.0/25',
      '.lr.kestrelferries.example',
      'registry.lr.kestrelferries.example',
      '.bw.kestrelferries.example',
    ])
      expect(except).toContain(x);
  });
  it('is in no file where none is set, and cannot carry a password or break out of its line', () => {
    expect([...kit(goodEstate()).keys()].filter((p) => p.endsWith('proxy.conf'))).toEqual([]);
    for (const url of [
      'http://u:p@proxy.example:3128',
      'http://proxy.example:3128"\nExecStart=x',
      'ftp://proxy.example',
      'http://proxy.example/%h',
    ])
      expect(() => set(['proxy'], { url })).toThrow(/proxy.url/);
    for (const except of ['a b', '"', 'x\ny'])
      expect(() => set(['proxy'], { url: 'http://p.example:1', except: [except] })).toThrow(/except/);
  });
});

describe('certificates', () => {
  it('hold as long as the charter says, and name what it names', () => {
    const e = set(
      ['api'],
      { names: ['api.kestrelferries.example'], addresses: ['10.40.1.1'] },
      set(['certificates'], { days: 90, caDays: 1800 }),
    );
    const { certificates } = planIn(e);
    const api = certificates.find((c) => c.name === 'apiserver');
    expect([api?.days, api?.names.includes('api.kestrelferries.example'), api?.addresses.includes('10.40.1.1')]).toEqual([
      90,
      true,
      true,
    ]);
    expect(certificates.find((c) => c.name === 'cluster-ca')?.days).toBe(1800);
    expect(kit(e).get('hosts/lr-01/root/etc/kubernetes/manifests/kube-controller-manager.yaml')?.content).toContain(
      '--cluster-signing-duration=2160h',
    );
  });
});

describe('a cluster of one host', () => {
  const one = () => set(['workers'], { count: 0 }, set(['controlPlane'], { count: 1 }));
  it('knows that nothing stands in for it, and is not warned of that for ever', () => {
    const e = one();
    expect(['quorum', 'capacity', 'timers'].map((id) => line(e, id)?.text)).toEqual([
      '1 of 1: while it is away everything is',
      // 16 − 1 cores, 64 − 2.1 GiB
      '15 cores, 62 GiB; no reserve: it is the only host',
      'nothing runs until it is back: it is the only host',
    ]);
    expect(check(e).findings.map((f) => f.code)).toEqual([]);
  });
  it('runs workloads on its control plane', () => {
    expect(kit(one()).get('hosts/lr-01/root/etc/kubernetes/kubelet.yaml')?.content).not.toContain('registerWithTaints');
    expect(kit(goodEstate()).get('hosts/lr-01/root/etc/kubernetes/kubelet.yaml')?.content).toContain('registerWithTaints');
  });
  it('with two in the control plane is offered three where there is a third, and one where there is none', () => {
    const two = set(['workers'], { count: 0 }, set(['controlPlane'], { count: 2 }));
    const said = (e: Estate) => check(e).findings.find((f) => f.code === 'CHT-001')?.remedy?.label;
    expect(said(two)).toBe('Set 3');
    expect(said({ ...two, hosts: two.hosts.slice(0, 2) })).toBe('Set 1');
  });
});

describe('how a change comes about in a cluster that stands', () => {
  const charter = goodEstate().charters[0] as Charter;
  const way = (more: object) => comesAbout(charter, { ...charter, ...more }).map((c) => `${c.path} ${c.way}`);
  it.each([
    [{ pods: { ...charter.pods, range: '10.160.0.0/16' } }, ['pods.range impossible']],
    [{ pods: { ...charter.pods, most: 60 } }, ['pods.most rolling']],
    [{ overlay: { kind: 'vxlan' as const, mtu: 1400 } }, ['overlay.kind impossible', 'overlay.mtu rolling']],
    [{ api: { names: ['x.example'] } }, ['api.names rolling']],
    [{ api: { name: 'x.example' } }, ['api.name made anew']],
    [{ purpose: 'radar' }, ['purpose at once']],
    [{ timers: { grace: 60 } }, ['timers.grace rolling']],
  ])('%j', (more, said) => expect(way(more)).toEqual(said));
  it('is known of every field that a charter has', () => {
    const unruled = Object.keys(kinds.Charter.shape).filter(
      (f) => !['apiVersion', 'kind', 'name'].includes(f) && !ruledPaths.some((p) => p === f || p.startsWith(`${f}.`)),
    );
    expect(unruled).toEqual([]);
    expect(Object.values(ways).every((w) => w.length > 10)).toBe(true);
  });
});

it('one worker is offered a second only where there is a host for it', () => {
  const one = set(['workers'], { count: 1 });
  const offered = (e: Estate) => check(e).findings.find((f) => f.code === 'CHT-019')?.remedy?.label;
  expect(offered(one)).toBe('Set 2');
  expect(offered({ ...one, hosts: one.hosts.slice(0, 4) })).toBe('Show the hosts');
});
