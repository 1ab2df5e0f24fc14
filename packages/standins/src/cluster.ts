import { X509Certificate } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { createServer, type Server } from 'node:https';
import type { TLSSocket } from 'node:tls';
import { parse as parseYaml } from 'yaml';
import type { Clock } from './clock.ts';
import type { Machine } from './machine.ts';
import { readEnvironment } from './environment.ts';
import type { Installed } from './node.ts';

interface Member {
  machine: Machine;
  kit: Installed;
  role: string;
  since: number;
  zone: string;
}
interface KubeObject {
  apiVersion: string;
  kind: string;
  metadata: { name: string; namespace?: string } & Record<string, unknown>;
  spec?: Record<string, unknown>;
  status?: unknown;
}

/** The clusters that stand in the proving ground: each exists while most of its control-plane machines run. */
export class Clusters {
  private readonly clusters = new Map<string, ApiStandin>();
  constructor(
    private readonly clock: Clock,
    private readonly place: (address: string, port: number) => { host: string; port: number },
  ) {}

  joined(machine: Machine, kit: Installed): void {
    const config = parseYaml(kit.files['/etc/kubernetes/kubelet.kubeconfig'] ?? '') as { clusters: { name: string }[] };
    const name = config.clusters[0]?.name ?? 'unknown';
    const api = this.clusters.get(name) ?? new ApiStandin(name, this.clock, this.place);
    this.clusters.set(name, api);
    api.add(machine, kit);
  }

  left(machine: Machine): void {
    for (const c of this.clusters.values()) c.remove(machine);
  }
  list = () => [...this.clusters.values()].map((c) => ({ name: c.name, up: c.up, members: c.names() }));
  close(): void {
    for (const c of this.clusters.values()) c.close();
  }
}

/** One cluster's API over TLS with the certificates of its boot kit. */
class ApiStandin {
  private readonly members = new Map<string, Member>();
  private readonly objects = new Map<string, KubeObject>();
  private server: Server | undefined;
  private etcd = new Set<string>();

  constructor(
    readonly name: string,
    private readonly clock: Clock,
    private readonly place: (address: string, port: number) => { host: string; port: number },
  ) {}

  get up(): boolean {
    return this.server !== undefined;
  }
  names = () => [...this.members.keys()];
  private controlPlane = () => [...this.members.values()].filter((m) => m.role === 'control-plane');

  add(machine: Machine, kit: Installed): void {
    const args = readEnvironment(kit.files['/etc/kubernetes/kubelet.env'] ?? '').KUBELET_ARGS ?? '';
    const role = readEnvironment(kit.files['/etc/praesidor/boot.env'] ?? '').ROLE ?? 'worker';
    this.members.set(kit.host, { machine, kit, role, since: Date.now(), zone: /zone=([^,\s]+)/.exec(args)?.[1] ?? '' });
    if (role === 'control-plane') this.etcd.add(kit.host);
    this.settle();
  }

  remove(machine: Machine): void {
    for (const [name, m] of this.members) if (m.machine === machine) this.members.delete(name);
    this.settle();
  }

  /** The API answers while a majority of the etcd members run. */
  private settle(): void {
    const running = this.controlPlane();
    const quorum = running.length >= Math.floor(this.etcd.size / 2) + 1;
    if (!quorum || !running[0] || whyNoApi(running[0].kit.files)) {
      this.close();
      return;
    }
    if (this.server) return;
    const files = running[0].kit.files;
    const text = files['/etc/haproxy/haproxy.cfg'] ?? '';
    const address = /bind ([0-9.]+):6443/.exec(text)?.[1] ?? running[0].kit.address;
    const at = this.place(address, 6443);
    const server = createServer(
      {
        key: files['/etc/kubernetes/pki/apiserver.key'],
        cert: files['/etc/kubernetes/pki/apiserver.crt'],
        ca: files['/etc/kubernetes/pki/ca.crt'],
        requestCert: true,
        rejectUnauthorized: false,
        minVersion: 'TLSv1.2',
      },
      (req, res) => {
        void this.answer(req, res).catch(() => res.writeHead(500).end());
      },
    );
    server.on('error', () => {
      this.server = undefined;
    });
    server.listen(at.port, at.host);
    this.server = server;
  }

  close(): void {
    this.server?.close();
    this.server?.closeAllConnections();
    this.server = undefined;
  }

  private async answer(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const url = new URL(req.url ?? '/', 'https://api');
    const send = (status: number, body: object) =>
      void res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
    const refuse = (code: number, reason: string, text: string) =>
      send(code, { kind: 'Status', apiVersion: 'v1', metadata: {}, status: 'Failure', message: text, reason, code });
    if (!(req.socket as TLSSocket).authorized) return refuse(401, 'Unauthorized', 'Unauthorized');
    const table = req.headers.accept?.includes('as=Table') ?? false;
    const path = url.pathname;
    if (path === '/version') return send(200, { major: '1', minor: '34', gitVersion: 'v1.34.2', platform: 'linux/amd64' });
    if (path === '/readyz' || path === '/livez' || path === '/healthz') {
      res.writeHead(200).end('ok');
      return;
    }
    if (path === '/api') return send(200, { kind: 'APIVersions', versions: ['v1'] });
    if (path === '/apis')
      return send(200, {
        kind: 'APIGroupList',
        apiVersion: 'v1',
        groups: [
          {
            name: 'apps',
            versions: [{ groupVersion: 'apps/v1', version: 'v1' }],
            preferredVersion: { groupVersion: 'apps/v1', version: 'v1' },
          },
        ],
      });
    if (path === '/api/v1')
      return send(200, {
        kind: 'APIResourceList',
        groupVersion: 'v1',
        resources: ['nodes', 'namespaces']
          .map((name) => resource(name, false))
          .concat(['pods', 'services', 'configmaps', 'endpoints', 'events'].map((name) => resource(name, true))),
      });
    if (path === '/apis/apps/v1')
      return send(200, {
        kind: 'APIResourceList',
        groupVersion: 'apps/v1',
        resources: ['daemonsets', 'deployments'].map((name) => resource(name, true)),
      });
    if (path === '/api/v1/nodes') {
      const items = this.nodes();
      return send(
        200,
        table ? nodeTable(items) : { kind: 'NodeList', apiVersion: 'v1', metadata: { resourceVersion: '1' }, items },
      );
    }
    const node = /^\/api\/v1\/nodes\/([\w.-]+)$/.exec(path);
    if (node && req.method === 'GET') {
      const n = this.nodes().find((x) => x.metadata.name === node[1]);
      return n ? send(200, table ? nodeTable([n]) : n) : refuse(404, 'NotFound', `nodes "${node[1]}" not found`);
    }
    if (path === '/api/v1/namespaces/default/endpoints/kubernetes')
      return send(200, {
        kind: 'Endpoints',
        apiVersion: 'v1',
        metadata: { name: 'kubernetes', namespace: 'default' },
        subsets: [
          {
            addresses: this.controlPlane()
              .map((m) => ({ ip: m.kit.address }))
              .sort((a, b) => a.ip.localeCompare(b.ip, 'en', { numeric: true })),
            ports: [{ name: 'https', port: 6443, protocol: 'TCP' }],
          },
        ],
      });
    if (req.method === 'PATCH' || req.method === 'PUT' || req.method === 'POST') {
      let text = '';
      for await (const chunk of req) {
        text += String(chunk);
        if (text.length > 3_000_000) return refuse(413, 'RequestEntityTooLarge', 'too large');
      }
      const object = parseYaml(text) as KubeObject;
      if (node?.[1] && req.method === 'PATCH') {
        if (!this.members.has(node[1])) return refuse(404, 'NotFound', `nodes "${node[1]}" not found`);
        const given = (object.metadata as { labels?: Record<string, string> }).labels ?? {};
        this.labels.set(node[1], { ...this.labels.get(node[1]), ...given });
        return send(200, this.nodes().find((x) => x.metadata.name === node[1]) ?? {});
      }
      this.objects.set(path, object);
      return send(200, this.withStatus(object));
    }
    const one = this.objects.get(path);
    if (one) return send(200, this.withStatus(one));
    const items = [...this.objects].filter(([p]) => p.startsWith(`${path}/`)).map(([, o]) => this.withStatus(o));
    if (/\/(pods|services|configmaps|daemonsets|deployments|events|endpoints)$/.test(path))
      return send(200, { kind: 'List', apiVersion: 'v1', metadata: {}, items });
    return refuse(404, 'NotFound', 'the server could not find the requested resource');
  }

  /** Labels that somebody with the right has given: a node may not give itself a role (NodeRestriction). */
  private readonly labels = new Map<string, Record<string, string>>();
  private networkSince = 0;
  /** Nodes become ready when the agents of the pod network have had time to start on them. */
  private nodes() {
    const network = [...this.objects.values()].some((o) => o.kind === 'DaemonSet' && o.metadata.name === 'pod-network');
    if (network && !this.networkSince) this.networkSince = Date.now();
    return [...this.members]
      .sort(([a], [b]) => a.localeCompare(b, 'en', { numeric: true }))
      .map(([name, m]) => ({
        apiVersion: 'v1',
        kind: 'Node',
        metadata: {
          name,
          creationTimestamp: new Date(m.since).toISOString().replace(/\.\d+Z/, 'Z'),
          labels: {
            'kubernetes.io/hostname': name,
            'topology.kubernetes.io/zone': m.zone,
            ...this.labels.get(name),
          },
        },
        status: {
          conditions: [
            {
              type: 'Ready',
              status:
                network && (Date.now() - Math.max(m.since, this.networkSince)) * this.clock.speed > 30_000 ? 'True' : 'False',
            },
          ],
          addresses: [
            { type: 'InternalIP', address: m.kit.address },
            { type: 'Hostname', address: name },
          ],
          nodeInfo: { kubeletVersion: 'v1.34.2', osImage: 'Linux', containerRuntimeVersion: 'oci' },
        },
      }));
  }

  private withStatus(o: KubeObject): KubeObject {
    const ready = this.nodes().filter((n) => n.status.conditions[0]?.status === 'True').length;
    if (o.kind === 'DaemonSet') return { ...o, status: { desiredNumberScheduled: this.members.size, numberReady: ready } };
    if (o.kind === 'Deployment') {
      const replicas = Number(o.spec?.replicas ?? 1);
      return { ...o, status: { replicas, readyReplicas: ready > 0 ? replicas : 0 } };
    }
    if (o.kind === 'Service' && o.spec?.type === 'LoadBalancer')
      return {
        ...o,
        status: {
          loadBalancer: {
            ingress: [{ ip: (o.metadata.annotations as Record<string, string> | undefined)?.['praesidor/address'] }],
          },
        },
      };
    return o;
  }
}

const resource = (name: string, namespaced: boolean) => ({
  name,
  singularName: '',
  namespaced,
  kind: name[0]?.toUpperCase() + name.slice(1, -1),
  verbs: ['get', 'list', 'patch', 'create'],
  ...(name === 'nodes' ? { shortNames: ['no'] } : {}),
});

function nodeTable(items: NodeDoc[]) {
  const column = (name: string, priority = 0) => ({ name, type: 'string', format: '', description: name, priority });
  return {
    kind: 'Table',
    apiVersion: 'meta.k8s.io/v1',
    metadata: { resourceVersion: '1' },
    columnDefinitions: [
      column('Name'),
      column('Status'),
      column('Roles'),
      column('Age'),
      column('Version'),
      column('Internal-IP', 1),
    ],
    rows: items.map((n) => ({
      cells: [
        n.metadata.name,
        n.status.conditions[0]?.status === 'True' ? 'Ready' : 'NotReady',
        'node-role.kubernetes.io/control-plane' in n.metadata.labels ? 'control-plane' : '<none>',
        age(n.metadata.creationTimestamp),
        n.status.nodeInfo.kubeletVersion,
        n.status.addresses[0]?.address,
      ],
      object: { kind: 'PartialObjectMetadata', apiVersion: 'meta.k8s.io/v1', metadata: n.metadata },
    })),
  };
}
interface NodeDoc {
  metadata: { name: string; creationTimestamp: string; labels: Record<string, string> };
  status: { conditions: { status: string }[]; addresses: { address: string }[]; nodeInfo: { kubeletVersion: string } };
}
const age = (since: string) => {
  const s = Math.max(0, Math.round((Date.now() - Date.parse(since)) / 1000));
  return s < 120 ? `${s}s` : `${Math.floor(s / 60)}m`;
};

/** Why an API server with these files does not come up; undefined: it does. */
function whyNoApi(files: Record<string, string>): string | undefined {
  const command = (name: string): string[] => {
    const pod = parseYaml(files[`/etc/kubernetes/manifests/${name}.yaml`] ?? '{}') as {
      spec?: { containers?: { command?: string[] }[] };
    };
    return pod.spec?.containers?.[0]?.command ?? [];
  };
  const flag = (name: string) =>
    command('kube-apiserver')
      .find((c) => c.startsWith(`--${name}=`))
      ?.slice(name.length + 3);
  const asked = new URL(flag('etcd-servers') ?? 'https://127.0.0.1:2379').hostname;
  const shown = files['/etc/kubernetes/pki/etcd/server.crt'];
  if (!shown || !new X509Certificate(shown).checkIP(asked)) return `etcd's certificate is not for ${asked}`;
  const balanced = /^\s*bind \S+:6443/m.test(files['/etc/haproxy/haproxy.cfg'] ?? '');
  return balanced && ['0.0.0.0', '::', undefined].includes(flag('bind-address'))
    ? 'the load balancer has port 6443 of every address already'
    : undefined;
}
