import { describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { goodEstate, network } from '../../test/estate.ts';
import { check } from '../checks/index.ts';
import { bootKit, clusterObjects, type KitContext, placeholder } from '../files/index.ts';
import { applyEdits, type Charter, type Estate } from '../model/index.ts';
import { familiesOf, resolve } from './index.ts';

const second = { network: 'lr-machine-six', pods: 'fd00:128::/48', perNode: 64, services: 'fd00:129::/112' };
/** The room with IPv6 beside IPv4 on its machine network. */
const both = (more: object = {}): Estate =>
  applyEdits(goodEstate(), [
    { op: 'put', doc: network('lr-machine-six', 'machine', 'fd00:62:8::/64', 812, { gateway: 'fd00:62:8::1', routesTo: [] }) },
    { op: 'set', kind: 'Charter', key: 'plover', path: ['second'], value: { ...second, ...more } },
  ]);
const context = (e: Estate): KitContext => ({
  plan: resolve(e.charters[0] as Charter, e),
  estate: e,
  secret: placeholder('plover'),
  installation: 'build 1',
  bootUrl: (h) => `http://praesidor.example/boot/${h}`,
  reportUrl: (h) => `http://praesidor.example/report/${h}`,
});
const text = (ctx: KitContext, path: string) => bootKit(ctx).find((f) => f.path === path)?.content ?? '';

describe('a charter with both versions of IP', () => {
  const ctx = context(both());
  const { plan } = ctx;
  it('gives every node an address of each, with one name, forward and back', () => {
    const six = plan.nodes.map((n) => n.second?.address ?? '');
    expect(new Set(six).size).toBe(6);
    for (const a of six) expect(a).toMatch(/^fd00:62:8::/);
    const first = plan.nodes[0];
    expect(plan.reservations.filter((r) => r.name === first?.name).map((r) => r.address)).toEqual([
      first?.address,
      first?.second?.address,
    ]);
    expect(plan.problems).toEqual([]);
  });
  it('has room for as many nodes as the scarcer of its ranges: 2^(24 − 16) blocks of IPv4, 2^(64 − 48) of IPv6', () => {
    expect(plan.room.nodes).toBe(256);
    expect(context(both({ pods: 'fd00:128::/60' })).plan.room.nodes).toBe(16);
  });
  it('is told to kubelet, API server, controller manager, proxy and pod network, the first version first', () => {
    const [node] = plan.nodes;
    expect(text(ctx, 'hosts/lr-01/root/etc/kubernetes/kubelet.env')).toContain(
      `--node-ip=${node?.address},${node?.second?.address} `,
    );
    const command = (name: string) =>
      (
        parse(text(ctx, `hosts/lr-01/root/etc/kubernetes/manifests/${name}.yaml`)) as {
          spec: { containers: { command: string[] }[] };
        }
      ).spec.containers[0]?.command ?? [];
    expect(command('kube-apiserver')).toContain('--service-cluster-ip-range=10.129.0.0/18,fd00:129::/112');
    expect(command('kube-controller-manager')).toEqual(
      expect.arrayContaining([
        '--cluster-cidr=10.128.0.0/16,fd00:128::/48',
        '--node-cidr-mask-size-ipv4=24',
        '--node-cidr-mask-size-ipv6=64',
      ]),
    );
    const data = (name: string) =>
      (
        clusterObjects(ctx)
          .flatMap((s) => s.objects)
          .find((o) => o.kind === 'ConfigMap' && o.metadata.name === name) as { data?: Record<string, string> }
      ).data ?? {};
    expect(data('pod-network')).toMatchObject({ range: '10.128.0.0/16,fd00:128::/48', perNode: '24,64' });
    expect(data('kube-proxy')['config.yaml']).toContain('clusterCIDR: 10.128.0.0/16,fd00:128::/48');
    // One version of IP is said as before.
    expect(text(context(goodEstate()), 'hosts/lr-01/root/etc/kubernetes/manifests/kube-controller-manager.yaml')).toContain(
      '--node-cidr-mask-size=24',
    );
  });
  it('stands on the interface of the node, with a way out for each', () => {
    const unit = text(ctx, 'hosts/lr-01/root/etc/systemd/network/10-machine.network');
    expect(unit).toMatch(/Address=10\.62\.8\.\d+\/25\nAddress=fd00:62:8::[0-9a-f]+\/64/);
    expect(unit).toContain('Gateway=fd00:62:8::1');
  });
  it('certificates hold the second addresses: of nodes, and the first of the service range', () => {
    const api = plan.certificates.find((c) => c.name === 'apiserver');
    expect(api?.addresses).toEqual(expect.arrayContaining(['10.129.0.1', 'fd00:129::1', plan.nodes[0]?.second?.address]));
  });
  it('its ranges are judged as the first are', () => {
    const codes = (more: object) =>
      check(both(more))
        .findings.filter((f) => f.path[0] === 'second')
        .map((f) => f.code);
    expect(codes({})).toEqual([]);
    expect(codes({ pods: 'fd00:62:8::/56' })).toContain('CHT-002');
    expect(codes({ services: 'fd00:128::/112' })).toContain('CHT-004');
    expect(codes({ perNode: 72 })).toContain('CHT-014');
    expect(codes({ pods: '10.140.0.0/16' })).toContain('CHT-018');
    expect(familiesOf(both().charters[0] as Charter)).toHaveLength(2);
  });
});
