import { X509Certificate } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Server } from 'node:https';
import { createServer as createNet, type Server as NetServer } from 'node:net';
import type { TLSSocket } from 'node:tls';
import { once, parseYaml } from '../parse-once.ts';
import { holds, isIp, parseIp, parsePrefix, prefixRange } from '@praesidor/core/address';
import type { Clock } from '../clock.ts';
import { readEnvironment } from '../environment.ts';
import type { Machine } from '../machine.ts';
import { filesOf } from '../folders.ts';
import { type Installed, imageNames, pullOne } from '../node.ts';
import { Copies, type SavedCopies } from './copies.ts';
import { apiVersionOf, discoveryOf, kindsWith, type KubeObject, named, refusal } from './kinds.ts';
import { EtcdStandin } from './etcd.ts';
import { evict } from './evict.ts';
import { Kubelets } from './kubelet.ts';
import { Placed } from './placed.ts';
import { merged } from './merge-patch.ts';
import { apiServer, MemberApis } from './member-api.ts';
import { apiFrontend, apiPort, flagOf, selected, versionOf, whyNoApi } from './of-files.ts';
import { behind, type NodeState, ownClaims, podsOf, type State, usesClaim } from './pods.ts';
import { leasesOf, nodePortOf, Published } from './published.ts';
import { nodeTable } from './tables.ts';
import { kubeletConfig, trusted } from './trusts.ts';
import { rightsOf, verbOf } from './rights.ts';
import { shown } from './volumes.ts';
import { Versions, watch } from './watch.ts';

/** Seconds until a router that waits takes over: three advertisements of a second each, and the skew of a priority of 100. */
const missed = 3 + (256 - 100) / 256;

interface Member {
  machine: Machine;
  kit: Installed;
  role: string;
  since: number;
  /** Since when it says nothing: its node is still known then. */
  away?: number;
  /** Since when its kubelet is not let in. */
  mute?: number;
  /** What its kubelet has read at its start: its way to the API. */
  kubelet: string;
}

/** The names in a certificate, which do not change. */
const namesIn = once((crt) =>
  (new X509Certificate(crt).subjectAltName ?? '').split(', ').map((n) => n.replace(/^(DNS|IP Address):/, '')),
);

/** What etcd of a cluster keeps on the disks of its members: it is there again when they are. */
export interface SavedCluster {
  begun?: string;
  objects: [path: string, object: KubeObject][];
  labels: [node: string, labels: Record<string, string>][];
  cordoned: string[];
  copies?: SavedCopies;
}

/** One cluster's API over TLS with the certificates of its boot kit. What is in it follows from what was given to it. */
export class ApiStandin {
  private readonly members = new Map<string, Member>();
  /** What was given, by its path, and when. */
  private readonly objects = new Map<string, { object: KubeObject; since: number }>();
  /** Labels that somebody with the right has given: a node may not give itself a role (NodeRestriction). */
  /** Images that kubelets have pulled for pods, by node: since when, and why one could not be. */
  private readonly pulls = new Map<string, { at: number; why?: string }>();
  private readonly labels = new Map<string, Record<string, string>>();
  private server: Server | undefined;
  /** Nodes that take no further pods. */
  private readonly cordoned = new Set<string>();
  private readonly placed = new Placed();
  private readonly copies = new Copies();
  private readonly published = new Published();
  private readonly etcd: EtcdStandin;
  private readonly apis: MemberApis;
  private readonly kubelets: Kubelets;
  private readonly versions = new Versions();
  private readonly inbound = new Map<string, NetServer>();
  private timer: NodeJS.Timeout | undefined;
  /** While nobody has the address of the API: until another member takes it. */
  private moving: NodeJS.Timeout | undefined;
  /** How many came to the load balancer. */
  private connections = 0;

  constructor(
    readonly name: string,
    private readonly clock: Clock,
    private readonly place: (address: string, port: number) => { host: string; port: number },
    /** Which installation its first member is of. */
    readonly begun: string | undefined,
    private readonly changed: () => void,
    private readonly silent: () => boolean,
  ) {
    this.apis = new MemberApis(place, this.answer);
    this.kubelets = new Kubelets(place);
    this.etcd = new EtcdStandin(place, () => JSON.stringify(this.given()));
  }

  save = (): SavedCluster => ({
    ...(this.begun ? { begun: this.begun } : {}),
    objects: [...this.objects].map(([path, o]) => [path, o.object]),
    labels: [...this.labels],
    cordoned: [...this.cordoned],
    copies: this.copies.save(),
  });
  restore({ objects, labels, cordoned, copies }: SavedCluster): void {
    this.copies.restore(copies ?? []);
    for (const [path, object] of objects) this.objects.set(path, { object, since: Date.now() });
    for (const [node, l] of labels) this.labels.set(node, l);
    for (const node of cordoned) this.cordoned.add(node);
  }

  /** It stands, also while its address goes from one member to the next. */
  get up(): boolean {
    return this.server !== undefined || this.moving !== undefined;
  }
  names = () => [...this.members].filter(([, m]) => m.away === undefined).map(([name]) => name);
  private controlPlane = () => [...this.members.values()].filter((m) => m.role === 'control-plane' && m.away === undefined);

  add(machine: Machine, kit: Installed): void {
    const role = readEnvironment(kit.files['/etc/praesidor/boot.env'] ?? '').ROLE ?? 'worker';
    // What followed from its absence comes before it is back.
    this.copiesUpToNow();
    this.members.set(kit.host, { machine, kit, role, since: Date.now(), kubelet: kit.files[kubeletConfig] ?? '' });
    this.kubelets.begin(kit.host, kit.address, kit.files);
    if (role === 'control-plane') {
      this.etcd.join({ name: kit.host, address: kit.address, files: kit.files });
      this.apis.begin(kit.host, kit.address, kit.files);
    }
    this.settle();
  }
  restarted(machine: Machine, programs: readonly string[]): void {
    for (const m of this.members.values())
      if (m.machine === machine && m.away === undefined) {
        const { host: name, address, files } = m.kit;
        if (programs.includes('kubelet')) {
          m.kubelet = files[kubeletConfig] ?? '';
          this.kubelets.begin(name, address, files);
        }
        if (programs.includes('etcd')) this.etcd.join({ name, address, files });
        if (programs.includes('kube-apiserver') && m.role === 'control-plane') this.apis.begin(name, address, files);
      }
    this.settle();
  }
  /** Since when a node says nothing: its machine is off, or its kubelet and an API server do not trust each other. */
  private silentSince(m: Member): number | undefined {
    if (m.away !== undefined) return m.away;
    const api = this.controlPlane()[0]?.kit.files ?? {};
    if (trusted(m.kubelet, api['/etc/kubernetes/pki/ca.crt'] ?? '', api['/etc/kubernetes/pki/apiserver.crt'] ?? '')) {
      delete m.mute;
      return undefined;
    }
    m.mute ??= Date.now();
    return m.mute;
  }
  remove(machine: Machine): void {
    const led = this.controlPlane()[0];
    for (const [name, m] of this.members)
      if (m.machine === machine) {
        m.away ??= Date.now();
        this.etcd.leave(name);
        this.apis.stop(name);
        this.kubelets.stop(name);
      }
    // Who has the address of the API is gone: until the next one has noticed (VRRP, RFC 5798 §6.1), nobody answers there.
    const moves = /^\s+virtual_router_id/m.test(led?.kit.files['/etc/keepalived/keepalived.conf'] ?? '');
    if (led?.machine === machine && moves && this.server && this.quorum()) {
      this.close();
      clearTimeout(this.moving);
      this.moving = setTimeout(
        () => {
          this.moving = undefined;
          this.settle();
        },
        (missed * 1000) / this.clock.speed,
      ).unref();
      return;
    }
    this.settle();
  }
  private quorum = () => this.etcd.up() >= Math.floor(this.etcd.size / 2) + 1;

  /** The API answers while a majority of the etcd members run. */
  private settle(): void {
    const running = this.controlPlane();
    if (!this.quorum() || !running[0] || whyNoApi(running[0].kit.files)) {
      clearTimeout(this.moving);
      this.moving = undefined;
      this.close();
      return;
    }
    if (this.server || this.moving) return;
    const files = running[0].kit.files;
    const text = files['/etc/haproxy/haproxy.cfg'] ?? '';
    const own = apiPort(files);
    const [, address = running[0].kit.address, port = own] = apiFrontend(text) ?? [];
    // What comes to the load balancer goes to where it says that API servers listen.
    if (apiFrontend(text) && !text.includes(` ${running[0].kit.address}:${own} `)) {
      this.close();
      return;
    }
    const at = this.place(address, Number(port));
    const server = apiServer(files, this.answer, () => {
      const members = this.controlPlane();
      return members[this.connections++ % members.length]?.kit.files ?? files;
    });
    server.on('error', () => {
      this.server = undefined;
    });
    server.listen(at.port, at.host);
    this.server = server;
    this.timer ??= setInterval(() => this.settleInbound(), 250).unref();
  }

  /** For good: its etcd with it. */
  end(): void {
    clearTimeout(this.moving);
    this.close();
    this.apis.close();
    this.kubelets.close();
    this.etcd.close();
  }
  close(): void {
    clearInterval(this.timer);
    this.timer = undefined;
    this.server?.close();
    this.server?.closeAllConnections();
    this.server = undefined;
    for (const s of this.inbound.values()) s.close();
    this.inbound.clear();
  }

  /** What the API server was told on its command line. */
  private flag(name: string): string | undefined {
    return flagOf(this.controlPlane()[0]?.kit.files ?? {}, name);
  }
  private given = () => [...this.objects.values()].map((o) => o.object);
  /** What the control plane goes by when a node is silent, in seconds (kube-controller-manager, kube-apiserver). */
  private timers(): { grace: number; tolerate: number } {
    const files = this.controlPlane()[0]?.kit.files ?? {};
    return {
      grace: Number.parseInt(flagOf(files, 'node-monitor-grace-period', 'kube-controller-manager') ?? '50', 10),
      tolerate: Number(flagOf(files, 'default-unreachable-toleration-seconds') ?? 300),
    };
  }
  /** As the API writes times: to the second, by its own clock. */
  private readonly stamp = (wall: number) => new Date(this.clock.at(wall)).toISOString().replace(/\.\d+Z/, 'Z');
  /** Since when a node counts as lost; undefined: it does not. */
  private lostSince(m: Member): number | undefined {
    const silent = this.silentSince(m);
    const lost = silent === undefined ? undefined : this.clock.after(silent, this.timers().grace);
    return lost !== undefined && lost <= Date.now() ? lost : undefined;
  }
  /** What follows from what was given; the driver of volumes has its say, and what waits for one goes on then. */
  private state(): State {
    const state = this.follows();
    return this.copies.settle(this.around(state)) ? this.follows() : state;
  }
  private copiesUpToNow(): void {
    if (this.up && this.given().some((x) => x.kind === 'CSIDriver')) this.state();
  }
  private around(state: State) {
    return {
      hosts: new Map(
        [...this.members].map(([name, m]) => [
          name,
          {
            files: filesOf(m.machine),
            since: m.since,
            ...(this.silentSince(m) === undefined ? {} : { away: this.silentSince(m) }),
          },
        ]),
      ),
      objects: this.given(),
      state,
      grace: this.timers().grace,
      now: Date.now(),
      after: this.clock.after,
    };
  }
  /** A volume of the driver that is mounted on a machine at a path: the folder that has all of it, and what puts what lies in another one in its place. */
  mounted(machine: Machine, path: string): { folder: string | undefined; put: (from: string) => boolean } | undefined {
    const state = this.state();
    const volume = this.copies.mountedAt(path, state.volumes.volumes);
    const [name] = [...this.members].find(([, m]) => m.machine === machine) ?? [];
    const [key] = [...state.volumes.claims].find(([, c]) => c.volume?.metadata.name === volume) ?? [];
    if (!volume || !state.pods.some((p) => p.ready && p.node === name && key && usesClaim(p, key))) return undefined;
    return {
      folder: this.copies.opened(volume),
      put: (from) => {
        this.state();
        return this.copies.put(volume, from);
      },
    };
  }
  /** A kubelet has an image pulled that a pod asks for; after a failure it waits, and tries again. */
  private pulled(name: string, m: Member, image: string): [reason: string, message: string] {
    const key = `${name} ${image}`;
    const was = this.pulls.get(key);
    if (!was || (was.why !== undefined && this.clock.since(was.at) >= 30)) {
      this.pulls.set(key, { at: Date.now() });
      void pullOne(m.machine, m.kit, image, AbortSignal.timeout(120_000)).then(
        () => {
          this.pulls.delete(key);
          this.changed();
        },
        (e: Error) => {
          this.pulls.set(key, { at: Date.now(), why: `failed to pull and unpack image "${image}": ${e.message}` });
          this.changed();
        },
      );
    }
    return was?.why ? ['ErrImagePull', was.why] : ['ContainerCreating', 'it pulls its image'];
  }
  private follows(): State {
    const crt = this.controlPlane()[0]?.kit.files['/etc/kubernetes/pki/apiserver.crt'];
    const since = new Map([...this.objects.values()].map((o) => [o.object, o.since]));
    return podsOf({
      nodes: [...this.members]
        .sort(([a], [b]) => a.localeCompare(b, 'en', { numeric: true }))
        .map(([name, m]): NodeState => {
          const kubelet = parseYaml(m.kit.files['/etc/kubernetes/kubelet.yaml'] ?? '') as {
            registerWithTaints?: { key: string; effect: string }[];
          } | null;
          return {
            name,
            address: m.kit.address,
            files: m.kit.files,
            images: imageNames(m.machine, m.kit),
            pulls: (image) => this.pulled(name, m, image),
            since: m.since,
            taints: kubelet?.registerWithTaints ?? [],
            labels: this.labelsOf(name, m),
            ...(this.cordoned.has(name) ? { unschedulable: true } : {}),
            ...(this.silentSince(m) === undefined ? {} : { away: this.silentSince(m) as number }),
          };
        }),
      objects: this.given(),
      placed: this.placed,
      allowPrivileged: this.flag('allow-privileged') === 'true',
      apiNames: crt ? namesIn(crt) : [],
      timers: this.timers(),
      age: this.clock.since,
      after: this.clock.after,
      givenAt: (o) => since.get(o) ?? 0,
      lacks: (volume, driver, node, soFar) => this.copies.lacks(volume, driver, node, soFar),
    });
  }

  /**
   * Addresses that services have on every node answer where VRRP brings one of them, and a pod stands behind it; those of a pool where somebody
   * announces them.
   */
  private settleInbound(): void {
    const wanted = new Map<string, { address: string; port: number }>();
    // Copies go on while nobody asks.
    this.copiesUpToNow();
    const outside = this.given().filter(
      (o) => o.kind === 'Service' && (o.spec?.externalIPs?.length || o.spec?.type === 'LoadBalancer'),
    );
    const services = outside.filter((o) => o.spec?.externalIPs?.length);
    const state = outside.length ? this.state() : undefined;
    if (state)
      // Nobody answers while who has the address is gone, and its lease is not.
      for (const [o, { address, node }] of this.published.of(this.given(), state, Date.now()))
        if (behind(state, o).some((p) => !state.silent.has(p.node ?? '')) && !state.silent.has(node?.name ?? ''))
          for (const { port } of o.spec.ports as { port: number }[]) wanted.set(`${address} ${port}`, { address, port });
    for (const service of services)
      for (const address of service.spec.externalIPs as string[]) {
        const holder = [...this.members.values()].some(
          (m) =>
            state?.proxied.has(m.kit.host) &&
            new RegExp(`^\\s+${address.replaceAll('.', '\\.')}/\\d+$`, 'm').test(
              m.kit.files['/etc/keepalived/keepalived.conf'] ?? '',
            ),
        );
        if (!holder || !state || !behind(state, service).length) continue;
        for (const { port } of service.spec.ports as { port: number }[]) wanted.set(`${address} ${port}`, { address, port });
      }
    for (const [key, server] of this.inbound)
      if (!wanted.has(key)) {
        server.close();
        this.inbound.delete(key);
      }
    for (const [key, { address, port }] of wanted) {
      if (this.inbound.has(key)) continue;
      const at = this.place(address, port);
      // Who asks may be killed at that moment: its reset is nobody's error.
      const server = createNet((c) => c.on('error', () => undefined).end());
      server.on('error', () => this.inbound.delete(key));
      server.listen(at.port, at.host);
      server.unref();
      this.inbound.set(key, server);
    }
  }

  private readonly answer = async (req: IncomingMessage, res: ServerResponse): Promise<void> => {
    if (this.silent()) return;
    const url = new URL(req.url ?? '/', 'https://api');
    // By the clock of its host (RFC 9110 §6.6.1).
    res.setHeader('date', new Date(this.clock.at()).toUTCString());
    const send = (status: number, body: object) =>
      void res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
    const refuse = (code: number, reason: string, text: string) =>
      send(code, { kind: 'Status', apiVersion: 'v1', metadata: {}, status: 'Failure', message: text, reason, code });
    if (!(req.socket as TLSSocket).authorized) return refuse(401, 'Unauthorized', 'Unauthorized');
    const path = url.pathname;
    if (path === '/version')
      return send(200, {
        major: '1',
        minor: '34',
        gitVersion: versionOf(this.controlPlane()[0]?.kit.files ?? {}, 'kube-apiserver'),
        platform: 'linux/amd64',
      });
    if (path === '/readyz' || path === '/livez' || path === '/healthz') {
      res.writeHead(200).end('ok');
      return;
    }
    const kinds = kindsWith(this.given());
    const described = /^\/apis?$|^\/api\/v1$|^\/apis\/[^/]+\/[^/]+$/.test(path) ? discoveryOf(kinds)[path] : undefined;
    if (described) return send(200, described);
    const asks = rightsOf(this.given(), req.socket as TLSSocket, req.headers);
    if (asks.refused) return refuse(403, 'Forbidden', asks.refused);
    const evicted = /^\/api\/v1\/namespaces\/([a-z0-9-]+)\/pods\/([a-z0-9.-]+)\/eviction$/.exec(path);
    if (evicted && req.method === 'POST') {
      const no = asks.why({ resource: 'pods/eviction', group: '', namespace: evicted[1] ?? '' }, 'create');
      if (no) return refuse(403, 'Forbidden', no);
      const { status, body, key } = evict({ namespace: evicted[1] ?? '', name: evicted[2] ?? '' }, this.state(), this.given());
      if (key) this.placed.release(key);
      return send(status, body);
    }
    const found = named(path, kinds);
    if (!found) return refuse(404, 'NotFound', 'the server could not find the requested resource');
    const no = asks.why(found, verbOf(req.method ?? 'GET', url.searchParams, found.name !== undefined));
    if (no) return refuse(403, 'Forbidden', no);
    let at = found;
    if (req.method === 'PATCH' || req.method === 'PUT' || req.method === 'POST') {
      let text = '';
      for await (const chunk of req) {
        text += String(chunk);
        if (text.length > 3_000_000) return refuse(413, 'RequestEntityTooLarge', 'too large');
      }
      const sent = parseYaml(text) as KubeObject;
      const merges = req.headers['content-type'] === 'application/merge-patch+json' && at.kind !== 'Node';
      const there = merges ? this.objects.get(path)?.object : undefined;
      if (merges && !there) return refuse(404, 'NotFound', `${at.resource} "${at.name}" not found`);
      const object = there ? (merged(there, sent) as KubeObject) : sent;
      if (at.kind === 'Node') return this.mark(at.name ?? '', object, send, refuse);
      let to = path;
      if (req.method === 'POST' && at.name === undefined) {
        // What is created has its name in itself.
        at = { ...at, name: object.metadata?.name ?? '' };
        to = `${path}/${at.name}`;
        if (this.objects.has(to)) return refuse(409, 'AlreadyExists', `${at.resource} "${at.name}" already exists`);
      }
      if (at.namespace && !this.namespaces().includes(at.namespace))
        return refuse(404, 'NotFound', `namespaces "${at.namespace}" not found`);
      const why = refusal(at.kind, object, at) ?? this.outOfRange(object);
      if (why) return refuse(422, 'Invalid', `${at.kind} "${at.name}" is invalid: ${why}`);
      if (url.searchParams.get('dryRun') === 'All') return send(req.method === 'POST' ? 201 : 200, object);
      // What is given again as it is keeps its time: its pods go on.
      const before = this.objects.get(to);
      const same = before && JSON.stringify(before.object) === JSON.stringify(object);
      this.objects.set(to, same ? before : { object, since: Date.now() });
      // Pods of another template are others, and are put where that one wants them.
      const template = (o: KubeObject | undefined) => JSON.stringify(o?.spec?.template);
      if (before && template(before.object) !== template(object))
        for (const p of this.follows().pods) if (p.owner === object) this.placed.release(p.key);
      this.claim(object);
      if (!same) this.changed();
      return send(200, this.withStatus(object, this.state()));
    }
    if (req.method === 'DELETE') {
      const gone = at.kind === 'Node' ? this.forget(at.name ?? '') : this.objects.delete(path);
      if (!gone) return refuse(404, 'NotFound', `${at.resource} "${at.name}" not found`);
      this.changed();
      return send(200, { kind: 'Status', apiVersion: 'v1', metadata: {}, status: 'Success' });
    }
    if (req.method !== 'GET')
      return refuse(405, 'MethodNotAllowed', 'the server does not allow this method on the requested resource');
    const table = req.headers.accept?.includes('as=Table') ?? false;
    const list = () => this.all(at.kind, this.state()).filter((o) => !at.namespace || o.metadata.namespace === at.namespace);
    const listed = ['labelSelector', 'fieldSelector']
      .map((k) => url.searchParams.get(k) ?? '')
      .reduce((of, s) => `${of}?${s}`, path);
    if (['true', '1'].includes(url.searchParams.get('watch') ?? '')) {
      const from = this.versions.at(listed, url.searchParams.get('resourceVersion'));
      if (!from) return refuse(410, 'Expired', 'too old resource version');
      return watch(
        () => (this.up ? selected(list(), url.searchParams) : undefined),
        from,
        (told) => this.versions.next(listed, told),
        url.searchParams,
        res,
      );
    }
    const all = list();
    if (at.name) {
      const one = all.find((o) => o.metadata.name === at.name);
      if (!one) return refuse(404, 'NotFound', `${at.resource} "${at.name}" not found`);
      return send(200, table && at.kind === 'Node' ? nodeTable([one]) : one);
    }
    const items = selected(all, url.searchParams);
    return send(
      200,
      table && at.kind === 'Node'
        ? nodeTable(items)
        : {
            kind: `${at.kind}List`,
            apiVersion: apiVersionOf(at.kind, kinds),
            metadata: { resourceVersion: this.versions.next(listed, items) },
            items,
          },
    );
  };

  /** Claims of the pods of a StatefulSet are made with it, and stay when it has fewer. */
  private claim(o: KubeObject): void {
    if (o.kind !== 'StatefulSet') return;
    for (let i = 0; i < Number(o.spec.replicas ?? 1); i++)
      for (const { claim, template } of ownClaims(o, i)) {
        const { namespace = 'default' } = o.metadata;
        const path = `/api/v1/namespaces/${namespace}/persistentvolumeclaims/${claim}`;
        const object = {
          apiVersion: 'v1',
          kind: 'PersistentVolumeClaim',
          metadata: { name: claim, namespace },
          spec: template.spec,
        };
        if (!this.objects.has(path)) this.objects.set(path, { object, since: Date.now() });
      }
  }

  /** A service's own address lies in the range that the API server was told. */
  /** Those that every cluster has (Kubernetes documentation, "Namespaces"), and those that somebody made. */
  private namespaces(): string[] {
    const made = [...this.objects.values()].flatMap(({ object: o }) => (o.kind === 'Namespace' ? [o.metadata.name] : []));
    return ['default', 'kube-system', 'kube-public', 'kube-node-lease', ...made];
  }
  private outOfRange(o: KubeObject): string | undefined {
    const { clusterIP } = (o.kind === 'Service' ? o.spec : {}) as { clusterIP?: string };
    if (!clusterIP || clusterIP === 'None') return undefined;
    const range = this.flag('service-cluster-ip-range') ?? '';
    return isIp(clusterIP) && holds(prefixRange(parsePrefix(range)), parseIp(clusterIP))
      ? undefined
      : `spec.clusterIPs: failed to allocate IP ${clusterIP}: the provided IP is not in the valid range (${range})`;
  }
  /** A node object is taken away; a kubelet that runs on registers anew only when it is started again. */
  private forget(name: string): boolean {
    this.labels.delete(name);
    this.cordoned.delete(name);
    return this.members.delete(name);
  }
  private mark(
    name: string,
    object: KubeObject,
    send: (status: number, body: object) => void,
    refuse: (code: number, reason: string, text: string) => void,
  ): void {
    if (!this.members.has(name)) {
      refuse(404, 'NotFound', `nodes "${name}" not found`);
      return;
    }
    this.labels.set(name, { ...this.labels.get(name), ...object.metadata?.labels });
    const { unschedulable } = (object.spec ?? {}) as { unschedulable?: boolean | null };
    if (unschedulable) this.cordoned.add(name);
    else if (unschedulable !== undefined) this.cordoned.delete(name);
    this.changed();
    send(200, this.nodes(this.state()).find((x) => x.metadata.name === name) ?? {});
  }

  /** Every object of a kind: what was given, and what follows from it. */
  private all(kind: string, state: State): KubeObject[] {
    if (kind === 'Node') return this.nodes(state);
    if (kind === 'Pod') return state.pods.map((p) => this.pod(p));
    if (kind === 'Event') return this.events(state);
    if (kind === 'Endpoints') return this.endpoints(state);
    if (kind === 'Lease')
      return [...leasesOf(this.published.of(this.given(), state, Date.now()).values()), ...this.kubeletLeases()];
    if (kind === 'Copy') return this.copies.objects(kindsWith(this.given()).get(kind)?.group ?? '', this.stamp);
    if (kind === 'PersistentVolume') return state.volumes.volumes.map((v) => shown(v, state.volumes));
    const given = this.given().filter((o) => o.kind === kind);
    return given.map((o) => this.withStatus(o, state));
  }
  private kubeletLeases(): KubeObject[] {
    return [...this.members]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, m]) => ({
        apiVersion: 'coordination.k8s.io/v1',
        kind: 'Lease',
        metadata: { name, namespace: 'kube-node-lease' },
        spec: { holderIdentity: name, leaseDurationSeconds: 40, renewTime: new Date(this.toldAt(m)).toISOString() },
      }));
  }

  /** Every ten seconds a kubelet says that it is there. */
  private toldAt(m: Member): number {
    const every = 10_000 / this.clock.speed;
    // By its own clock.
    const wrong = m.machine.faults.has('clock-wrong', m.machine.hardware.name) ? 600_000 : 0;
    return Math.floor((this.silentSince(m) ?? Date.now()) / every) * every + wrong;
  }
  /** What a kubelet says of itself, what it was told to say, and what others put on the node. */
  private labelsOf(name: string, m: Member): Record<string, string> {
    const args = readEnvironment(m.kit.files['/etc/kubernetes/kubelet.env'] ?? '').KUBELET_ARGS ?? '';
    const own = (/--node-labels=(\S+)/.exec(args)?.[1] ?? '').split(',').filter(Boolean);
    return {
      'kubernetes.io/hostname': name,
      'kubernetes.io/os': 'linux',
      ...Object.fromEntries(own.map((l) => l.split('=') as [string, string])),
      ...this.labels.get(name),
    };
  }
  private nodes(state: State): KubeObject[] {
    return [...this.members]
      .sort(([a], [b]) => a.localeCompare(b, 'en', { numeric: true }))
      .map(([name, m]) => {
        const lost = this.lostSince(m);
        const ready = state.ready.has(name);
        const turned = lost ?? (ready ? this.clock.after(m.since, 30) : m.since);
        return {
          apiVersion: 'v1',
          kind: 'Node',
          metadata: {
            name,
            creationTimestamp: new Date(m.since).toISOString().replace(/\.\d+Z/, 'Z'),
            labels: this.labelsOf(name, m),
          },
          ...(this.cordoned.has(name) ? { spec: { unschedulable: true } } : {}),
          status: {
            conditions: [
              {
                type: 'Ready',
                status: lost === undefined ? (ready ? 'True' : 'False') : 'Unknown',
                lastTransitionTime: this.stamp(turned),
              },
            ],
            addresses: [
              { type: 'InternalIP', address: m.kit.address },
              { type: 'Hostname', address: name },
            ],
            nodeInfo: {
              bootID: m.machine.bootId,
              kubeletVersion: versionOf(m.kit.files, 'kube-proxy'),
              osImage: 'Linux',
              containerRuntimeVersion: 'oci',
            },
          },
        };
      });
  }

  private pod(p: State['pods'][number]): KubeObject {
    const { containers, volumes: given = [] } = p.owner.spec.template.spec;
    const own = ownClaims(p.owner, Number(p.name.split('-').at(-1)));
    const volumes = [...given, ...own.map((c) => ({ name: c.volume, persistentVolumeClaim: { claimName: c.claim } }))];
    const waiting = p.reason && p.node ? { waiting: { reason: p.reason, message: p.message } } : { running: {} };
    return {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: {
        name: p.name,
        namespace: p.namespace,
        labels: p.labels,
        ownerReferences: [
          { kind: p.owner.kind, name: p.owner.metadata.name, apiVersion: p.owner.apiVersion, uid: p.owner.metadata.name },
        ],
      },
      spec: { nodeName: p.node, containers, ...(volumes.length ? { volumes } : {}) },
      status: {
        phase: p.ready ? 'Running' : 'Pending',
        ...(p.ip ? { podIP: p.ip } : {}),
        conditions: [
          p.node
            ? { type: 'PodScheduled', status: 'True' }
            : { type: 'PodScheduled', status: 'False', reason: p.reason, message: p.message },
          {
            type: 'Ready',
            status: p.ready ? 'True' : 'False',
            ...(p.turned === undefined ? {} : { lastTransitionTime: this.stamp(p.turned) }),
          },
        ],
        ...(p.node ? { containerStatuses: [{ name: p.owner.metadata.name, ready: p.ready, state: waiting }] } : {}),
      },
    };
  }

  private events(state: State): KubeObject[] {
    const event = (name: string, about: { kind: string; name: string; namespace: string }, reason: string, message: string) => ({
      apiVersion: 'v1',
      kind: 'Event',
      metadata: { name, namespace: about.namespace },
      involvedObject: about,
      reason,
      message,
      type: 'Warning',
    });
    return [
      ...state.refused.map(({ owner, message }) => {
        const about = { kind: owner.kind, name: owner.metadata.name, namespace: owner.metadata.namespace ?? 'default' };
        return event(
          `${about.name}.refused`,
          about,
          'FailedCreate',
          `Error creating: pods "${about.name}-" is forbidden: ${message}`,
        );
      }),
      ...state.pods
        .filter((p) => p.reason && p.reason !== 'ContainerCreating')
        .map((p) =>
          event(
            `${p.name}.waits`,
            { kind: 'Pod', name: p.name, namespace: p.namespace },
            p.reason === 'Unschedulable' ? 'FailedScheduling' : (p.reason as string),
            p.message ?? '',
          ),
        ),
      ...[...state.volumes.claims.values()]
        .filter((c) => !c.volume)
        .map(({ claim, reason, message }) => {
          const { name, namespace = 'default' } = claim.metadata;
          return event(`${name}.waits`, { kind: 'PersistentVolumeClaim', name, namespace }, reason ?? 'Pending', message ?? '');
        }),
    ];
  }

  private endpoints(state: State): KubeObject[] {
    const of = (name: string, namespace: string, ips: string[], ports: object[]): KubeObject => ({
      apiVersion: 'v1',
      kind: 'Endpoints',
      metadata: { name, namespace },
      subsets: ips.length ? [{ addresses: ips.map((ip) => ({ ip })), ports }] : [],
    });
    const api = this.controlPlane()
      .map((m) => m.kit.address)
      .sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
    return [
      of('kubernetes', 'default', api, [
        { name: 'https', port: Number(apiPort(this.controlPlane()[0]?.kit.files ?? {})), protocol: 'TCP' },
      ]),
      ...[...this.objects.values()]
        .map((o) => o.object)
        .filter((o) => o.kind === 'Service')
        .map((o) =>
          of(
            o.metadata.name,
            o.metadata.namespace ?? 'default',
            behind(state, o).flatMap((p) => p.ip ?? []),
            o.spec.ports as object[],
          ),
        ),
    ];
  }

  private withStatus(o: KubeObject, state: State): KubeObject {
    if (o.kind === 'PersistentVolume' || o.kind === 'PersistentVolumeClaim') return shown(o, state.volumes);
    const own = state.pods.filter((p) => p.owner.kind === o.kind && p.owner.metadata.name === o.metadata.name);
    const ready = own.filter((p) => p.ready).length;
    // Its pods are all made anew at once where its template becomes another.
    const told = { metadata: { ...o.metadata, generation: 1 }, spec: o.spec };
    if (o.kind === 'DaemonSet')
      return {
        ...o,
        ...told,
        status: {
          observedGeneration: 1,
          desiredNumberScheduled: own.length,
          updatedNumberScheduled: own.length,
          numberReady: ready,
        },
      };
    if (o.kind === 'Deployment' || o.kind === 'StatefulSet')
      return {
        ...o,
        ...told,
        status: { observedGeneration: 1, replicas: own.length, updatedReplicas: own.length, readyReplicas: ready },
      };
    if (o.kind === 'Service' && ['LoadBalancer', 'NodePort'].includes(o.spec?.type)) {
      const address = this.published.of(this.given(), state, Date.now()).get(o)?.address;
      const since = [...this.objects.values()].find((x) => x.object === o)?.since;
      return {
        ...o,
        metadata: {
          ...o.metadata,
          ...(since ? { creationTimestamp: new Date(since).toISOString().replace(/\.\d+Z/, 'Z') } : {}),
        },
        spec: {
          ...o.spec,
          ports: (o.spec.ports as { port: number }[]).map((p) => ({ nodePort: nodePortOf(o, p.port), protocol: 'TCP', ...p })),
        },
        status: { loadBalancer: address ? { ingress: [{ ip: address }] } : {} },
      };
    }
    return o;
  }
}
