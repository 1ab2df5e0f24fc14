import { describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { goodEstate, withAddon } from '../../../test/estate.ts';
import { resolve } from '../../charter/index.ts';
import { applyEdits, type Charter } from '../../model/index.ts';
import { bootKit, clusterObjects, type KitContext, placeholder, programsOf } from '../index.ts';

function context(path: string[] = [], value?: unknown): KitContext {
  const good = goodEstate();
  const edited = path.length ? applyEdits(good, [{ op: 'set', kind: 'Charter', key: 'plover', path, value }]) : good;
  const estate = withAddon(withAddon(edited, 'inbound-router', 'inbound-check'), 'service-announcer');
  return {
    estate,
    plan: resolve(estate.charters[0] as Charter, estate),
    secret: placeholder('plover'),
    installation: 'build 1',
    bootUrl: (h) => `http://praesidor.example/boot/${h}`,
    reportUrl: (h) => `http://praesidor.example/report/${h}`,
  };
}
type Any = Record<string, never> & { kind: string; metadata: { name: string } };
const objects = (ctx: KitContext) => clusterObjects(ctx).flatMap((s) => s.objects) as unknown as Any[];
const one = (ctx: KitContext, kind: string, name: string) =>
  objects(ctx).find((o) => o.kind === kind && o.metadata.name === name) as never as Record<string, Record<string, never>>;
const text = (ctx: KitContext, path: string) => bootKit(ctx).find((f) => f.path === path)?.content;

describe('what the build gives to the API', () => {
  it('every program that follows objects has an account, and a role that is bound to it', () => {
    const ctx = context();
    for (const p of programsOf(ctx)) {
      const spec = one(ctx, p.kind, p.name).spec?.template as { spec: { serviceAccountName?: string } } | undefined;
      const account = spec?.spec.serviceAccountName;
      if (p.name === 'inbound-check') {
        expect(account).toBeUndefined();
        continue;
      }
      expect(account).toBe(p.name);
      expect(one(ctx, 'ServiceAccount', p.name)).toBeDefined();
      expect(one(ctx, 'ClusterRoleBinding', `kit:${p.name}`)).toMatchObject({
        subjects: [{ kind: 'ServiceAccount', name: p.name, namespace: 'kube-system' }],
      });
    }
  });
  it('the pod network is told range, block, encapsulation and MTU, and lays its files where the runtime looks', () => {
    const ctx = context();
    expect(one(ctx, 'ConfigMap', 'pod-network').data).toEqual({
      range: ctx.plan.charter.pods.range,
      perNode: String(ctx.plan.charter.pods.perNode),
      overlay: 'geneve',
      mtu: String(1500 - 58), // Geneve over IPv4 with 8 bytes of options
    });
    const { spec } = (one(ctx, 'DaemonSet', 'pod-network').spec?.template ?? {}) as never as {
      spec: { hostNetwork: boolean; volumes: { hostPath?: { path: string } }[] };
    };
    expect(spec.hostNetwork).toBe(true);
    const runtime = text(ctx, 'hosts/lr-04/root/etc/containerd/config.toml') ?? '';
    for (const key of ['conf_dir', 'bin_dir'])
      expect(spec.volumes.map((v) => v.hostPath?.path)).toContain(new RegExp(`${key} = "(.*)"`).exec(runtime)?.[1]);
  });
  it('the proxy asks the API by its own name, with the token of its account', () => {
    const { data } = one(context(), 'ConfigMap', 'kube-proxy') as never as { data: Record<string, string> };
    const config = parse(data['config.yaml'] ?? '') as { kind: string; clientConnection: { kubeconfig: string } };
    expect([config.kind, config.clientConnection.kubeconfig]).toEqual([
      'KubeProxyConfiguration',
      '/var/lib/kube-proxy/kubeconfig',
    ]);
    const access = parse(data.kubeconfig ?? '') as { clusters: { cluster: { server: string } }[]; users: { user: object }[] };
    expect(access.clusters[0]?.cluster.server).toBe('https://kube.plover.lr.kestrelferries.example:6443');
    expect(access.users[0]?.user).toEqual({ tokenFile: '/var/run/secrets/kubernetes.io/serviceaccount/token' });
  });
  it('one port of the API is in every file that names it, and in none another', () => {
    const all = bootKit(context(['api', 'port'], 8443));
    const with8443 = all.filter((f) => /\b8443\b/.test(f.content)).map((f) => f.path.replace(/^hosts\/lr-\d+\/root/, ''));
    expect([...new Set(with8443)]).toEqual(
      expect.arrayContaining([
        '/etc/haproxy/haproxy.cfg',
        '/etc/kubernetes/manifests/kube-apiserver.yaml',
        '/etc/kubernetes/kubelet.kubeconfig',
        'cluster/kubeconfig',
      ]),
    );
    expect(all.filter((f) => /\b6443\b/.test(f.content)).map((f) => f.path)).toEqual([]);
  });
  it('the DNS of the cluster is at the address that kubelets give to pods', () => {
    const ctx = context();
    const kubelet = parse(text(ctx, 'hosts/lr-04/root/etc/kubernetes/kubelet.yaml') ?? '') as { clusterDNS: string[] };
    expect([one(ctx, 'Service', 'cluster-dns').spec?.clusterIP]).toEqual(kubelet.clusterDNS);
  });
  it('the service pool is announced by the program that an add-on brings, as the charter says', () => {
    const peers = [
      { address: '10.62.8.2', as: 64513 },
      { address: '10.62.8.3', as: 64514 },
    ];
    const pool = { range: '10.62.8.64-10.62.8.79', announce: 'bgp', as: 64512, peers };
    expect(one(context(['servicePool'], pool), 'ConfigMap', 'service-announcer').data).toEqual({
      range: pool.range,
      announce: 'bgp',
      as: '64512',
      peers: '10.62.8.2 64513\n10.62.8.3 64514',
    });
    expect(one(context(['servicePool'], undefined), 'ConfigMap', 'service-announcer')).toBeUndefined();
  });
  it('the program that announces runs where the plan says that nodes answer: past the taints of workers, not past that of the control plane', () => {
    const pods = (path: string[], value: unknown) =>
      (
        one(context(path, value), 'DaemonSet', 'service-announcer') as unknown as {
          spec: { template: { spec: { tolerations: object[] } } };
        }
      ).spec.template.spec.tolerations;
    const away = { operator: 'Exists', effect: 'NoExecute' };
    expect(pods(['workers', 'labels'], [])).toEqual([away]);
    expect(pods(['workers', 'taints'], ['kept=radar:NoSchedule'])).toEqual([
      away,
      { key: 'kept', value: 'radar', effect: 'NoSchedule', operator: 'Equal' },
    ]);
  });
  it('the API server starts pods that set up their node', () => {
    expect(text(context(), 'hosts/lr-01/root/etc/kubernetes/manifests/kube-apiserver.yaml')).toContain('--allow-privileged=true');
  });
});

describe('addresses that move between hosts', () => {
  const conf = (ctx: KitContext, host: string) => text(ctx, `hosts/${host}/root/etc/keepalived/keepalived.conf`) ?? '';
  const instances = (ctx: KitContext, host: string) => [...conf(ctx, host).matchAll(/^vrrp_instance (\S+)/gm)].map((m) => m[1]);

  it('the API address moves on the control plane, the inbound address between workers', () => {
    const ctx = context();
    const [control, worker] = ['control-plane', 'worker'].map((role) => ctx.plan.nodes.find((n) => n.role === role)?.host ?? '');
    expect(instances(ctx, control as string)).toEqual(['api']);
    expect(instances(ctx, worker as string)).toEqual(['inbound']);
    expect(conf(ctx, worker as string)).toContain(`    ${ctx.plan.inbound.address}/25`);
    expect(conf(ctx, worker as string)).toContain('http://127.0.0.1:10256/healthz');
    expect(text(ctx, `hosts/${worker}/root/usr/local/sbin/praesidor-boot`)).toContain('for program in ctr kubelet keepalived;');
  });
  it('who takes part in moving them follows from nobody else: one that comes or goes changes no file of the others', () => {
    const files = (count: number) => {
      const ctx = context(['workers', 'count'], count);
      return new Map(ctx.plan.nodes.map((n) => [n.host, conf(ctx, n.host)]));
    };
    const [two, three] = [files(2), files(3)];
    expect(three.size).toBe(two.size + 1);
    for (const [host, file] of two) expect(three.get(host), host).toBe(file);
  });
  it('both move on the control plane where there are no workers, told apart', () => {
    const ctx = context(['workers', 'count'], 0);
    const host = ctx.plan.nodes[0]?.host ?? '';
    expect(instances(ctx, host)).toEqual(['api', 'inbound']);
    const ids = [...conf(ctx, host).matchAll(/virtual_router_id (\d+)/g)].map((m) => m[1]);
    expect(new Set(ids).size).toBe(2);
  });
  it('a charter without an inbound router has no inbound address that moves', () => {
    const ctx = context();
    const plain = { ...ctx, estate: { ...ctx.estate, addons: [] } };
    const worker = ctx.plan.nodes.find((n) => n.role === 'worker')?.host ?? '';
    expect(text(plain, `hosts/${worker}/root/etc/keepalived/keepalived.conf`)).toBeUndefined();
    expect(text(plain, `hosts/${worker}/root/usr/local/sbin/praesidor-boot`)).toContain('for program in ctr kubelet;');
  });
});
