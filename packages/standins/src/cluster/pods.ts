import { parseYaml, parseToml } from '../parse-once.ts';
import type { KubeObject } from './kinds.ts';
import type { Place, Placed } from './placed.ts';
import { asks, may } from './rights.ts';
import { claimKey, nodesOf, type Volumes, volumesOf } from './volumes.ts';

/** A node as its scheduler and its kubelet know it. */
export interface NodeState {
  name: string;
  address: string;
  files: Record<string, string>;
  images: string[];
  /** An image that it lacks is asked for: how far that is, as a pod says it. */
  pulls?: (image: string) => [reason: string, message: string];
  since: number;
  taints: { key: string; effect: string }[];
  labels?: Readonly<Record<string, string>>;
  /** It takes no further pods. */
  unschedulable?: boolean;
  /** Since when its kubelet says nothing. */
  away?: number;
}
export interface Surroundings {
  /** Where pods were put before; without it each is put anew. */
  placed?: Placed;
  nodes: NodeState[];
  objects: KubeObject[];
  /** What the control plane was told on its command line, in seconds. */
  timers?: { grace: number; tolerate: number };
  allowPrivileged: boolean;
  /** Names in the certificate that it shows. */
  apiNames: string[];
  /** Seconds of the simulated clock since an object was given, or a node came. */
  age: (since: number) => number;
  /** The moment so many seconds of the simulated clock after one, by the wall clock. */
  after?: (since: number, seconds: number) => number;
  givenAt: (o: KubeObject) => number;
  /** Why a volume that a driver keeps cannot be used on a node; undefined: it can. */
  lacks?: (volume: string, driver: string, node: string, soFar: State) => string | undefined;
}
export interface Pod {
  /** What stays of it when it is made anew elsewhere. */
  key: string;
  name: string;
  namespace: string;
  labels: Record<string, string>;
  owner: KubeObject;
  node?: string;
  ip?: string;
  hostNetwork: boolean;
  ready: boolean;
  /** Since when it is ready, or is not, by the wall clock; as far as that is known. */
  turned?: number;
  /** Why it is not: as the scheduler, the kubelet or the runtime says it. */
  reason?: string;
  message?: string;
}
export interface State {
  pods: Pod[];
  ready: Set<string>;
  /** Nodes on which services have rules. */
  proxied: Set<string>;
  /** Nodes that say nothing, and for how many seconds of the simulated clock. */
  silent: Map<string, number>;
  volumes: Volumes;
  /** Pods that could not even be made, by their owner. */
  refused: { owner: KubeObject; message: string }[];
}

interface Container {
  name: string;
  image: string;
  command?: string[];
  args?: string[];
  securityContext?: { privileged?: boolean };
  volumeMounts?: { name: string; mountPath: string; readOnly?: boolean }[];
}
interface PodSpec {
  nodeSelector?: Record<string, string>;
  serviceAccountName?: string;
  hostNetwork?: boolean;
  tolerations?: { key?: string; operator?: string; effect?: string; tolerationSeconds?: number }[];
  containers: Container[];
  initContainers?: Container[];
  volumes?: {
    name: string;
    configMap?: { name: string };
    hostPath?: { path: string; type?: string };
    persistentVolumeClaim?: { claimName: string };
  }[];
}
const specOf = (o: KubeObject): PodSpec => o.spec.template.spec as PodSpec;
const tolerates = (spec: PodSpec, taint: { key: string; effect: string }) =>
  (spec.tolerations ?? []).some(
    (t) =>
      (t.key === undefined ? t.operator === 'Exists' : t.key === taint.key) &&
      (t.effect === undefined || t.effect === taint.effect),
  );
const notReady = { key: 'node.kubernetes.io/not-ready', effect: 'NoSchedule' };
const unreachable = 'node.kubernetes.io/unreachable';
/** Seconds that a pod stays on a node that counts as lost: its own word, or what admission gives it (Kubernetes documentation, "Taints and Tolerations"). */
const tolerated = (s: Surroundings, spec: PodSpec): number => {
  const own = (spec.tolerations ?? []).find(
    (t) =>
      (t.key === unreachable || (t.key === undefined && t.operator === 'Exists')) && (t.effect ?? 'NoExecute') === 'NoExecute',
  );
  return own ? (own.tolerationSeconds ?? Number.POSITIVE_INFINITY) : (s.timers?.tolerate ?? usual.tolerate);
};
/** What programs of the control plane go by where nothing is said. */
const usual = { grace: 50, tolerate: 300 };
/** Seconds after which a volume is taken from a node that does not answer (Kubernetes documentation, "Non-graceful node shutdown"). */
const detaches = 360;
/** Seconds until a pod that was made runs. */
const starts = 15;
/** What an image is of, by the last part of its name. */
export const program = (image: string) => (image.split('/').at(-1) ?? '').split(/[:@]/)[0] as string;
/** Folders that every node has; what must be there already and is not keeps a pod from starting. */
const there = [
  '/lib/modules',
  '/dev',
  '/var/lib/kubelet',
  '/etc',
  '/run',
  '/var/lib',
  '/proc',
  '/sys',
  '/etc/kubernetes',
  '/etc/haproxy',
];

/** Why a pod could not be made at all (admission); undefined: it is. */
function refusedToMake(s: Surroundings, o: KubeObject): string | undefined {
  const spec = specOf(o);
  const account = spec.serviceAccountName ?? 'default';
  if (
    account !== 'default' &&
    !s.objects.some(
      (x) => x.kind === 'ServiceAccount' && x.metadata.name === account && x.metadata.namespace === o.metadata.namespace,
    )
  )
    return `error looking up service account ${o.metadata.namespace}/${account}: serviceaccount "${account}" not found`;
  if (!s.allowPrivileged && [...(spec.initContainers ?? []), ...spec.containers].some((c) => c.securityContext?.privileged))
    return 'privileged: forbidden: disallowed by cluster policy';
  return undefined;
}

/** Why a pod does not run on its node; undefined: it does. */
function keptFrom(
  s: Surroundings,
  o: KubeObject,
  node: NodeState,
  has: { network: boolean; proxy: boolean },
): [string, string] | undefined {
  const spec = specOf(o);
  for (const v of spec.volumes ?? []) {
    if (v.configMap && !s.objects.some((x) => x.kind === 'ConfigMap' && x.metadata.name === v.configMap?.name))
      return ['FailedMount', `MountVolume.SetUp failed for volume "${v.name}": configmap "${v.configMap.name}" not found`];
    if (v.hostPath?.type === 'Directory' && !there.includes(v.hostPath.path))
      return ['FailedMount', `hostPath type check failed: ${v.hostPath.path} is not a directory`];
  }
  if (!spec.hostNetwork && !has.network)
    return ['NetworkNotReady', 'container runtime network not ready: cni config uninitialized'];
  for (const c of [...(spec.initContainers ?? []), ...spec.containers])
    if (!node.images.includes(c.image)) return node.pulls?.(c.image) ?? ['ErrImagePull', `${c.image} is not on the node`];
  const account = `${o.metadata.namespace}/${spec.serviceAccountName ?? 'default'}`;
  for (const c of spec.containers) {
    // The API's address for pods is made by the proxy; a program that follows objects waits for it, the proxy itself cannot.
    const follows = asks[program(c.image)];
    if (!follows) continue;
    if (program(c.image) === 'kube-proxy') {
      const why = proxyLacks(s, spec, c);
      if (why) return ['CrashLoopBackOff', why];
    } else if (!has.proxy) return ['CrashLoopBackOff', 'the API does not answer at its service address: no route to host'];
    for (const asked of follows) {
      const [group = '', resource = ''] = asked.split('/');
      if (!may(s.objects, account, 'list', group, resource))
        return [
          'CrashLoopBackOff',
          `${resource} is forbidden: User "system:serviceaccount:${account.replace('/', ':')}" cannot list resource "${resource}"`,
        ];
    }
  }
  return undefined;
}

/** What keeps the proxy from starting: it finds its file, and in it the way to the API. */
function proxyLacks(s: Surroundings, spec: PodSpec, c: Container): string | undefined {
  const read = (path: string): string | undefined => {
    const mount = (c.volumeMounts ?? []).find((m) => path.startsWith(`${m.mountPath}/`));
    const map = spec.volumes?.find((v) => v.name === mount?.name)?.configMap?.name;
    return s.objects.find((x) => x.kind === 'ConfigMap' && x.metadata.name === map)?.data?.[
      path.slice((mount?.mountPath.length ?? 0) + 1)
    ];
  };
  const flags = [...(c.command ?? []), ...(c.args ?? [])];
  const file = flags.find((f) => f.startsWith('--config='))?.slice(9);
  if (!file)
    return 'invalid configuration: neither kubeconfig nor config file, and the API does not answer at its service address';
  const config = parseYaml(read(file) ?? '') as { kind?: string; clientConnection?: { kubeconfig?: string } } | null;
  if (config?.kind !== 'KubeProxyConfiguration') return `failed to read ${file}: no such file or no KubeProxyConfiguration`;
  const access = parseYaml(read(config.clientConnection?.kubeconfig ?? '') ?? '') as {
    clusters?: { cluster: { server: string } }[];
  } | null;
  const server = access?.clusters?.[0]?.cluster.server;
  if (!server) return `stat ${config.clientConnection?.kubeconfig}: no such file or directory`;
  const host = new URL(server).hostname;
  return s.apiNames.includes(host)
    ? undefined
    : `x509: certificate is valid for ${s.apiNames.slice(0, 4).join(', ')}, not ${host}`;
}

/** Whether a pod of this owner lays a CNI configuration where the runtime of the node looks for one. */
function laysNetwork(o: KubeObject, node: NodeState): boolean {
  const config = parseToml(node.files['/etc/containerd/config.toml'] ?? '') as {
    plugins?: Record<string, { cni?: { conf_dir?: string } }>;
  };
  const folder = config.plugins?.['io.containerd.grpc.v1.cri']?.cni?.conf_dir ?? '/etc/cni/net.d';
  const spec = specOf(o);
  const volume = spec.volumes?.find((v) => v.hostPath?.path === folder)?.name;
  return (
    volume !== undefined &&
    [...(spec.initContainers ?? []), ...spec.containers].some((c) =>
      c.volumeMounts?.some((m) => m.name === volume && !m.readOnly),
    )
  );
}

const replicasOf = (o: KubeObject): number => (o.kind === 'DaemonSet' ? 1 : Number(o.spec.replicas ?? 1));
/** Claims that each pod of a StatefulSet has for itself: by the name of their template, and of the pod (Kubernetes documentation, "StatefulSets"). */
export const ownClaims = (o: KubeObject, i: number): { volume: string; claim: string; template: KubeObject }[] =>
  ((o.kind === 'StatefulSet' ? (o.spec.volumeClaimTemplates ?? []) : []) as KubeObject[]).map((t) => ({
    volume: t.metadata.name,
    claim: `${t.metadata.name}-${o.metadata.name}-${i}`,
    template: t,
  }));
const claimsOf = (o: KubeObject, i: number): string[] =>
  [
    ...(specOf(o).volumes ?? []).flatMap((v) => v.persistentVolumeClaim?.claimName ?? []),
    ...ownClaims(o, i).map((c) => c.claim),
  ].map((name) => claimKey(o.metadata.namespace, name));
/** Whether a pod has a claim, by its namespace and name. */
export const usesClaim = (p: Pod, key: string): boolean =>
  claimsOf(p.owner, p.owner.kind === 'StatefulSet' ? Number(p.name.split('-').at(-1)) : 0).includes(key);
/** What the claims of a workload mean for where its pods go: why nowhere, which nodes, and a volume that only one node has at a time. */
function storedFor(o: KubeObject, i: number, { claims }: Volumes): { why?: string; nodes?: string[]; oneNode?: string } {
  const out: { nodes?: string[]; oneNode?: string } = {};
  for (const key of claimsOf(o, i)) {
    const claim = claims.get(key);
    if (!claim) return { why: `persistentvolumeclaim "${key.split('/')[1]}" not found` };
    if (!claim.volume) return { why: 'pod has unbound immediate PersistentVolumeClaims' };
    const nodes = nodesOf(claim.volume);
    if (nodes) out.nodes = out.nodes?.filter((n) => nodes.includes(n)) ?? nodes;
    const modes = claim.volume.spec.accessModes as string[];
    if (!modes.includes('ReadWriteMany') && !modes.includes('ReadOnlyMany')) out.oneNode = claim.volume.metadata.name;
  }
  return out;
}

/**
 * Pods that follow from what was given: where the scheduler puts them, and whether they run there. Nodes become ready when a pod
 * network has had time to start on them; everything else waits for that.
 */
export function podsOf(s: Surroundings): State {
  const owners = s.objects.filter((o) => o.kind === 'DaemonSet' || o.kind === 'Deployment' || o.kind === 'StatefulSet');
  const used = new Set(owners.flatMap((o) => Array.from({ length: replicasOf(o) }, (_, i) => claimsOf(o, i)).flat()));
  const state: State = {
    pods: [],
    ready: new Set(),
    proxied: new Set(),
    silent: new Map(s.nodes.flatMap((n) => (n.away === undefined ? [] : [[n.name, s.age(n.away)] as const]))),
    refused: [],
    volumes: volumesOf(s.objects, s.givenAt, used, s.placed?.bound),
  };
  // What runs on the network of its host comes first: the proxy, then the network, then the rest.
  const rank = (o: KubeObject) =>
    specOf(o).containers.some((c) => program(c.image) === 'kube-proxy') ? 0 : specOf(o).hostNetwork ? 1 : 2;
  const byName = new Map(s.nodes.map((n) => [n.name, n]));
  const load = new Map<string, number>();
  for (const o of [...owners].sort((a, b) => rank(a) - rank(b))) {
    const refused = refusedToMake(s, o);
    if (refused) {
      state.refused.push({ owner: o, message: refused });
      continue;
    }
    const spec = specOf(o);
    const ordinal = o.kind === 'StatefulSet';
    const shared = storedFor(o, 0, state.volumes);
    const storedOf = (i: number) => (ordinal ? storedFor(o, i, state.volumes) : shared);
    const chosen = s.nodes.filter((n) => chooses(spec, n));
    const able = chosen.filter(
      (n) =>
        n.away === undefined &&
        !n.unschedulable &&
        [...n.taints, ...(state.ready.has(n.name) ? [] : [notReady])].every((t) => tolerates(spec, t)),
    );
    const grace = s.timers?.grace ?? usual.grace;
    const stays = grace + tolerated(s, spec);
    const put = (i: number): { node?: NodeState | undefined; place?: Place | undefined } => {
      const stored = storedOf(i);
      const fits = stored.why ? [] : able.filter((n) => stored.nodes?.includes(n.name) ?? true);
      if (!s.placed) return { node: fits[i % fits.length] };
      const place = s.placed.of(
        keyOf(o, i),
        fits.map((n) => n.name),
        (name) => {
          const n = byName.get(name);
          // A pod of a StatefulSet is made nowhere else while nobody knows whether it runs.
          return n !== undefined && (ordinal || n.away === undefined || s.age(n.away) < stays);
        },
        load,
        (left) => {
          const away = byName.get(left ?? '')?.away;
          // What is on one node at a time is taken from it by force first.
          return away === undefined || !s.after
            ? Date.now()
            : s.after(away, stays + (stored.oneNode && !stored.nodes ? detaches : 0));
        },
      );
      const node = place && byName.get(place.node);
      if (node) load.set(node.name, (load.get(node.name) ?? 0) + 1);
      return { node, place };
    };
    const places: { node?: NodeState | undefined; place?: Place | undefined }[] =
      o.kind === 'DaemonSet'
        ? chosen.filter((n) => n.taints.every((t) => tolerates(spec, t))).map((node) => ({ node }))
        : Array.from({ length: replicasOf(o) }, (_, i) => put(i));
    for (const [i, { node, place }] of places.entries()) {
      const made = Math.max(s.givenAt(o), place?.since ?? 0, node?.since ?? 0);
      const stored = storedOf(i);
      const again = !ordinal && place && place.times > 1 ? `-${place.times}` : '';
      const pod: Pod = {
        key: keyOf(o, i),
        name: `${o.metadata.name}-${node && o.kind === 'DaemonSet' ? node.name : i}${again}`,
        namespace: o.metadata.namespace ?? 'default',
        labels: (o.spec.template.metadata?.labels ?? {}) as Record<string, string>,
        owner: o,
        hostNetwork: spec.hostNetwork ?? false,
        ready: false,
        ...(node ? { node: node.name } : {}),
      };
      state.pods.push(pod);
      if (!node) {
        pod.reason = 'Unschedulable';
        const all = s.nodes.length;
        pod.message = `0/${all} nodes are available: ${stored.why ?? whyNone(all, chosen.length, able.length)}`;
        continue;
      }
      const why = keptFrom(s, o, node, { network: state.ready.has(node.name), proxy: state.proxied.has(node.name) });
      const first = places[0]?.node;
      // Nobody knows yet that a node is lost: its pods are still said to be ready.
      const known = node.away === undefined || s.age(node.away) >= grace;
      const lacking = claimsOf(o, i).flatMap((key) => {
        const { metadata, spec: of } = state.volumes.claims.get(key)?.volume ?? {};
        return (of?.csi && metadata && s.lacks?.(metadata.name, of.csi.driver as string, node.name, state)) || [];
      });
      if (node.away !== undefined && known) {
        [pod.reason, pod.message] = ['NodeLost', `${node.name} does not answer`];
        if (s.after) pod.turned = s.after(node.away, grace);
      } else if (why) [pod.reason, pod.message] = why;
      else if (!ordinal && stored.oneNode && first !== node)
        [pod.reason, pod.message] = [
          'FailedAttachVolume',
          `Multi-Attach error for volume "${stored.oneNode}": it is used on ${first?.name} already`,
        ];
      else if (lacking[0]) [pod.reason, pod.message] = ['FailedMount', lacking[0]];
      else if (s.age(made) < starts) [pod.reason, pod.message] = ['ContainerCreating', 'it starts'];
      else {
        pod.ready = true;
        if (s.after) pod.turned = s.after(made, starts);
        pod.ip = spec.hostNetwork ? node.address : `10.255.${s.nodes.indexOf(node)}.${i + 2}`;
        if (rank(o) === 0) state.proxied.add(node.name);
        if (o.kind === 'DaemonSet' && laysNetwork(o, node) && s.age(made) >= 30) state.ready.add(node.name);
      }
    }
  }
  return state;
}

/** Whether a pod may be on a node by its labels (Kubernetes documentation, "Assigning Pods to Nodes"). */
const chooses = (spec: PodSpec, n: NodeState) =>
  Object.entries(spec.nodeSelector ?? {}).every(([key, value]) => n.labels?.[key] === value);
const whyNone = (all: number, chosen: number, able: number) =>
  [
    ...(chosen < all ? [`${all - chosen} node(s) didn't match Pod's node affinity/selector`] : []),
    ...(able < chosen ? [`${chosen - able} node(s) had untolerated taints`] : []),
    ...(able ? [`${able} node(s) had volume node affinity conflict`] : []),
  ].join(', ');

const keyOf = (o: KubeObject, i: number) => `${o.metadata.namespace}/${o.metadata.name} ${i}`;

/** Ready pods behind a service, by its selector. */
export const behind = (state: State, service: KubeObject): Pod[] => {
  const wanted = Object.entries((service.spec?.selector ?? {}) as Record<string, string>);
  return wanted.length
    ? state.pods.filter(
        (p) => p.ready && p.namespace === service.metadata.namespace && wanted.every(([k, v]) => p.labels[k] === v),
      )
    : [];
};
