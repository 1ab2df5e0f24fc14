import { X509Certificate } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import { copyText, wholeOf } from '@praesidor/core/backup';
import { clusterObjects, imagesOf, networkAgents, programsIn, programsOf } from '@praesidor/core/files';
import { keptAt } from '@praesidor/core/images';
import { pointerName, resolversOf } from '@praesidor/core/naming';
import { allRun } from '@praesidor/core/model';
import { stepOf } from '@praesidor/core/schedule';
import { secondsText } from '@praesidor/core/words';
import { connects, fingerprintOf, seenAs } from '@praesidor/protocols/dial';
import { lookup } from '@praesidor/protocols/dns';
import { claimsSeen, isReady, type KubeList, type KubeNode, kube, running } from '@praesidor/protocols/kube';
import { pullLog, tellsNoMore } from '@praesidor/protocols/oci';
import { loadEstate } from '../../estate/load.ts';
import { leftAlone, objectId } from './taken-in.ts';
import { volumesAsIs } from './volumes-as-is.ts';
import { openRegistry } from '../images/registries.ts';
import type { StepContext } from './step.ts';

export interface Proof {
  what: string;
  planned: string;
  found: string;
  good: boolean;
  evidence: string[];
  at: string;
}
/** What is measured, and how it is reached: in a change, and long after it. */
export type Proving = Pick<StepContext, 'ctx' | 'build' | 'plan' | 'estate' | 'kit' | 'kube'>;

export const line = (what: string, planned: string, found: string, evidence: string[]): Proof => ({
  what,
  planned,
  found,
  good: planned === found,
  evidence,
  at: new Date().toISOString(),
});

/** All of so many. Of none nothing is proved: an empty set does not hold. */
export const allOf = (what: string, found: number, of: number, evidence: string[]): Proof =>
  of > 0 ? line(what, `${of} of ${of}`, `${found} of ${of}`, evidence) : line(what, 'at least one', 'none', evidence);

async function nodes(s: Proving): Promise<Proof[]> {
  const list = (await kube<KubeList<KubeNode>>(s.kube(), '/api/v1/nodes'))?.items ?? [];
  const roleOf = (n: KubeNode) =>
    'node-role.kubernetes.io/control-plane' in (n.metadata.labels ?? {}) ? 'control-plane' : 'worker';
  const ready = list.filter(isReady);
  const roles = (of: { host: string; role: string }[]) =>
    of
      .map((n) => `${n.host} ${n.role}`)
      .sort()
      .join(', ');
  return [
    line(
      'nodes ready',
      `${s.plan.nodes.length} of ${s.plan.nodes.length}`,
      `${ready.length} of ${list.length}`,
      list.map((n) => `${n.metadata.name} ${isReady(n) ? 'ready' : 'not ready'}`),
    ),
    line(
      'roles',
      roles(s.plan.nodes),
      roles(list.map((n) => ({ host: n.metadata.name, role: roleOf(n) }))),
      list.map((n) => JSON.stringify(n.metadata.labels)),
    ),
  ];
}

/** Seconds that a clock may be away from ours, beside what a kubelet waits between two of its stamps. */
const clockSlack = 20;
/**
 * Clocks of the nodes, by the stamps that each kubelet writes with its own (Lease, `renewTime`), against the clock of this server. One that is away from the others judges
 * certificates and tokens by another time, and its log cannot be laid beside theirs.
 */
async function clocks(s: Proving): Promise<Proof[]> {
  const [nodes, leases] = await Promise.all([
    kube<KubeList<KubeNode>>(s.kube(), '/api/v1/nodes'),
    kube<KubeList<{ metadata: { name: string }; spec?: { renewTime?: string; leaseDurationSeconds?: number } }>>(
      s.kube(),
      '/apis/coordination.k8s.io/v1/namespaces/kube-node-lease/leases',
    ),
  ]);
  const now = Date.now();
  const evidence: string[] = [];
  let right = 0;
  // Of one that is not ready the stamps are old: that is said elsewhere.
  const told = (nodes?.items ?? []).filter(isReady).map((n) => n.metadata.name);
  for (const name of told) {
    const lease = leases?.items?.find((l) => l.metadata.name === name)?.spec;
    const at = Date.parse(lease?.renewTime ?? '');
    if (Number.isNaN(at)) {
      evidence.push(`${name}: its kubelet writes no stamps`);
      continue;
    }
    const ahead = (at - now) / 1000;
    const good = ahead <= clockSlack && -ahead <= clockSlack + (lease?.leaseDurationSeconds ?? 40);
    if (good) right++;
    evidence.push(
      `${name}: ${good ? 'as this server' : `${secondsText(Math.abs(ahead))} ${ahead > 0 ? 'ahead of' : 'behind'} this server`}, stamped ${new Date(at).toISOString()}`,
    );
  }
  return [allOf('clocks of the nodes', right, told.length, evidence)];
}

/** Every kubelet is of the minor version that the release is. */
async function versions(s: Proving): Promise<Proof[]> {
  const minor = (v: string) => v.replace(/^v/, '').split('.').slice(0, 2).join('.');
  const wanted = s.plan.release?.version;
  if (!wanted) return [];
  const list = (await kube<KubeList<KubeNode>>(s.kube(), '/api/v1/nodes'))?.items ?? [];
  const told = list.map((n) => [n.metadata.name, n.status?.nodeInfo?.kubeletVersion ?? ''] as const);
  const found = [...new Set(told.map(([, v]) => minor(v)))].sort();
  return [
    line(
      'versions of the nodes',
      minor(wanted),
      found.join(', '),
      told.map((t) => t.join(' ')),
    ),
  ];
}

/** Whom the change took out the API knows no more. */
async function gone(s: Proving): Promise<Proof[]> {
  const { leaves } = s.build.moves;
  if (!leaves.length) return [];
  const list = (await kube<KubeList<KubeNode>>(s.kube(), '/api/v1/nodes'))?.items ?? [];
  const there = leaves.filter((h) => list.some((n) => n.metadata.name === h));
  return [line('hosts that left', 'none in the API', there.join(', ') || 'none in the API', [leaves.join(', ')])];
}

async function agents(s: Proving): Promise<Proof[]> {
  const out: Proof[] = [];
  for (const { namespace, name } of networkAgents(s.kit)) {
    const d = await kube<{ status?: { numberReady?: number } }>(
      s.kube(),
      `/apis/apps/v1/namespaces/${namespace}/daemonsets/${name}`,
    );
    out.push(
      line(
        `agents of the pod network${out.length ? `, ${name}` : ''}`,
        String(s.plan.nodes.length),
        String(d?.status?.numberReady ?? 0),
        [`DaemonSet ${namespace}/${name}`],
      ),
    );
  }
  // A network that is there without an agent on any node would be proved by nothing.
  return out.length ? out : [line('agents of the pod network', String(s.plan.nodes.length), 'none was given to the cluster', [])];
}

/** Every program that was given to the cluster runs everywhere where it is to. */
async function programs(s: Proving): Promise<Proof[]> {
  const evidence: string[] = [];
  let runs = 0;
  const alone = await leftAlone(s.ctx.db.manager, s.build);
  const given = programsIn(
    clusterObjects(s.kit).map(({ stage, objects }) => ({ stage, objects: objects.filter((o) => !alone?.same.has(objectId(o))) })),
  );
  // One that was taken in is given nothing at first: of none nothing is proved.
  if (alone && !given.length) return [];
  for (const p of given) {
    const r = await running(s.kube(), p);
    if (r && allRun(p.kind, r)) runs++;
    evidence.push(`${p.kind} ${p.namespace}/${p.name}: ${r ? `${r.ready} of ${r.wanted}` : 'not there'}`);
  }
  return [allOf('programs of the cluster run', runs, given.length, evidence)];
}

/** Every volume with copies has as many whole ones as its class asks for. */
async function copies(s: Proving): Promise<Proof[]> {
  const volumes = volumesAsIs(await claimsSeen(s.kube()), s.plan).flatMap((v) => {
    const whole = wholeOf(v);
    return whole ? [{ ...v, ...whole }] : [];
  });
  if (!volumes.length) return [];
  const good = volumes.filter((v) => v.whole >= v.of);
  return [
    allOf(
      'volumes with all their copies',
      good.length,
      volumes.length,
      volumes.map((v) => `${v.name}: ${(v.copies ?? []).map((c) => `${c.host} ${copyText(c)}`).join(', ')}`),
    ),
  ];
}

/** Somebody takes connections at the inbound address, as it is seen from here. */
async function inboundAddress(s: Proving): Promise<Proof[]> {
  const { address } = s.plan.inbound;
  if (!programsOf(s.kit).some((p) => p.name === 'inbound-router')) return [];
  const found = await connects(s.ctx.dialer.exits, 'cluster', address, 443).then(
    () => 'takes connections',
    (e: Error) => e.message,
  );
  return [line('inbound address', 'takes connections', found, [`TCP ${address}:443`])];
}

async function members(s: Proving): Promise<Proof[]> {
  const e = await kube<{ subsets?: { addresses?: { ip: string }[] }[] }>(
    s.kube(),
    '/api/v1/namespaces/default/endpoints/kubernetes',
  );
  const found = (e?.subsets ?? [])
    .flatMap((x) => x.addresses ?? [])
    .map((a) => a.ip)
    .sort();
  return [
    line(
      'members behind the API address',
      s.plan.nodes
        .filter((n) => n.role === 'control-plane')
        .map((n) => n.address)
        .sort()
        .join(', '),
      found.join(', '),
      ['Endpoints default/kubernetes'],
    ),
  ];
}

/** Every resolver of the site, and of the machines' network, is asked for every name of the cluster, forward and back. */
async function names(s: Proving): Promise<Proof[]> {
  const servers = new Set([...resolversOf(s.plan.site), ...resolversOf(s.plan.site, s.plan.network)]);
  const { estate } = await loadEstate(s.ctx.db);
  const asked: string[] = [];
  let right = 0;
  let of = 0;
  const ask = async (server: string, question: string, type: string, want: string) => {
    const found = await lookup({ address: server, exits: s.ctx.dialer.exits, purpose: 'resolver' }, question, type);
    of++;
    if (found.includes(want)) right++;
    asked.push(`${server}: ${question} ${type} → ${found.join(', ') || 'nothing'}`);
  };
  for (const server of servers)
    for (const r of s.plan.reservations) {
      if (!r.name) continue;
      await ask(server, r.name.replace(/^\*\./, 'proof.'), r.address.includes(':') ? 'AAAA' : 'A', r.address);
      if (!r.name.startsWith('*.')) await ask(server, pointerName(r.address, estate.zones), 'PTR', r.name);
    }
  return [allOf('names resolve forward and back', right, of, asked)];
}

/** From the registry's own pull log: every node asked for every image of its list here, and nobody went elsewhere. */
async function pulls(s: Proving): Promise<Proof[]> {
  const { mirror } = s.plan;
  // Whoever was only given new files pulled nothing.
  const came = s.plan.nodes.filter((n) => stepOf(s.build.steps, 'images', n.host));
  if (!mirror || !came.length) return [];
  const since = await begun(s);
  // A mirror that keeps no log proves nothing: then the line is not drawn, rather than drawn as good.
  const log = await pullLog(await openRegistry(s.ctx, mirror), since).catch((e: unknown) => {
    if (tellsNoMore(e)) return undefined;
    throw e;
  });
  if (!log) return [];
  const seen = new Map<string, Set<string>>();
  // By the address that asked, whatever it calls itself: a runtime gives its own name, and not that of its host.
  const nodes = new Map(s.plan.nodes.map((n) => [n.address, n.host]));
  const hostOf = (client: string) => nodes.get(seenAs(s.ctx.config.addressMap, client));
  for (const l of log)
    if (l.kind === 'manifest' && l.status === 200) {
      const host = hostOf(l.client);
      if (host) seen.set(host, (seen.get(host) ?? new Set()).add(`${l.repository}:${l.reference}`));
    }
  let found = 0;
  let of = 0;
  const evidence: string[] = [];
  for (const n of came) {
    const wanted = imagesOf(s.kit, n).map((i) => keptAt(i, mirror));
    const got = wanted.filter((w) => seen.get(n.host)?.has(`${w.repository}:${w.tag ?? w.digest}`)).length;
    of += wanted.length;
    found += got;
    evidence.push(`${n.host}: ${got} of ${wanted.length} from ${mirror.endpoint}`);
  }
  return [allOf('images pulled from the mirror', found, of, evidence)];
}

/** What the nodes asked the outside for: nothing. Of a source that keeps no log nothing can be said: then the line is not drawn, rather than drawn as good. */
async function outside(s: Proving): Promise<Proof[]> {
  const source = s.estate.registries.find((r) => r.role === 'source');
  if (!s.plan.mirror || !source) return [];
  const nodes = new Set(s.plan.nodes.map((n) => n.address));
  const asked = await pullLog(await openRegistry(s.ctx, source), await begun(s))
    .then((log) => log.filter((l) => nodes.has(seenAs(s.ctx.config.addressMap, l.client))))
    .catch(() => undefined);
  if (!asked) return [];
  return [
    line('pulls from outside', '0', String(asked.length), [
      `pull log of ${source.endpoint}`,
      ...asked.slice(0, 20).map((l) => `${l.client} asked for ${l.repository}:${l.reference} at ${l.at}`),
    ]),
  ];
}

/** When the change began that brought the cluster to where it is. */
async function begun(s: Proving): Promise<string> {
  const [row] = (await s.ctx.db.manager.query(
    "select min(data->>'at') as since from run_event where run = $1 and data->>'kind' = 'begun'",
    [s.build.id],
  )) as { since: string | null }[];
  return row?.since ?? new Date(0).toISOString();
}

/**
 * Every member of the control plane shows a certificate of the cluster's authority, which has not ended. Not all have the newest: who stands when a member joins keeps
 * the one that it was installed with.
 */
async function certificates(s: Proving): Promise<Proof[]> {
  const newest = fingerprintOf(new X509Certificate(s.kit.secret('apiserver.crt')).raw);
  const members = s.plan.nodes.filter((n) => n.role === 'control-plane');
  const evidence: string[] = [];
  let right = 0;
  for (const n of members) {
    const seen = await s.ctx.dialer
      .certificate({
        purpose: 'cluster',
        host: n.address,
        port: s.plan.api.port,
        trust: { ca: s.kit.secret('cluster-ca.crt') },
      })
      .catch((e: Error) => e);
    if (seen instanceof Error) {
      evidence.push(`${n.host}: ${seen.message}`);
      continue;
    }
    if (seen.trusted) right++;
    const which = !seen.trusted
      ? 'of another authority, or ended'
      : seen.fingerprint === newest
        ? 'issued last'
        : 'issued earlier';
    evidence.push(`${n.host}: ${which}, ends ${seen.notAfter.slice(0, 10)}, ${seen.fingerprint.slice(0, 23)}…`);
  }
  return [allOf('certificates of the API are of its authority', right, members.length, evidence)];
}

/** A measure of a cluster that stands: what it is kept under, how often it is repeated, and where what it finds is mended. */
export interface Measure {
  name: string;
  /** In minutes; without it, it is measured at the end of a change alone. */
  every?: number;
  measure: (s: Proving) => Promise<Proof[]>;
  mend: (charter: string) => { label: string; go: string };
  /** Of clusters that were built from here alone: of another it is not known how that is to be. */
  ours?: true;
}
/** What is measured of a cluster. @param build the change that brought it to where it is */
export const measuresOf = async (m: EntityManager, build: { id: number; charter: string }): Promise<readonly Measure[]> =>
  (await leftAlone(m, build)) ? measures.filter((x) => !x.ours) : measures;
const change = (charter: string) => ({ label: 'What is to be done', go: `/clusters/${charter}/change` });
const hosts = (charter: string) => ({ label: 'Open its hosts', go: `/hosts?q=cluster:${charter}` });
const charterPage = (charter: string) => ({ label: `Open ${charter}`, go: `/clusters/${charter}` });

/** In the order in which they are shown. A new one is a function and a line. */
export const measures: readonly Measure[] = [
  { name: 'nodes', every: 5, measure: nodes, mend: hosts },
  { name: 'clocks', every: 15, measure: clocks, mend: hosts },
  { name: 'versions', every: 60, measure: versions, mend: change },
  { name: 'gone', measure: gone, mend: hosts },
  { name: 'agents', ours: true, every: 5, measure: agents, mend: hosts },
  { name: 'programs', every: 5, measure: programs, mend: charterPage },
  { name: 'members', every: 5, measure: members, mend: change },
  {
    name: 'certificates',
    every: 60,
    measure: certificates,
    mend: (c) => ({ label: 'Renew certificates', go: `/clusters/${c}/change?kind=renew` }),
  },
  { name: 'copies', every: 5, measure: copies, mend: (c) => ({ label: 'Open its volumes', go: `/clusters/${c}?tab=volumes` }) },
  { name: 'inbound', ours: true, every: 5, measure: inboundAddress, mend: charterPage },
  { name: 'names', ours: true, every: 15, measure: names, mend: () => ({ label: 'Open Names', go: '/addresses/names' }) },
  { name: 'pulls', ours: true, measure: pulls, mend: () => ({ label: 'Open Images', go: '/images' }) },
  { name: 'outside', ours: true, every: 15, measure: outside, mend: () => ({ label: 'Open Images', go: '/images' }) },
];
