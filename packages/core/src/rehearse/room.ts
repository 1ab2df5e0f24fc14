import { rebuildOf, roomForVolumes, storageNodes } from '../charter/aspects/storage.ts';
import { usableCores, usableMemory } from '../charter/arithmetic.ts';
import { isIp, serverList } from '../address/parse.ts';
import type { Computed, PlannedClass, PlannedNode } from '../charter/plan.ts';
import { answeringNodes } from '../reach/announce.ts';
import { placeCopies, placePods } from './place.ts';

/** Whole milliseconds: two that are added are what they are. */
export type Ms = number;
export interface RoomHost {
  name: string;
  role: PlannedNode['role'];
  rack: string;
  zone: string;
  feed: string | undefined;
  /** Switches that its adapters were seen to hang on; none: nobody said. */
  switches?: string[];
  /** What pods can use. */
  cores: number;
  memoryGiB: number;
  /** Room for volumes, in GB; none: volumes do not lie on it. */
  volumesGB: number;
  runs: boolean;
}
export interface RoomWork {
  name: string;
  namespace: string;
  kind: 'Deployment' | 'StatefulSet';
  apart: 'host' | 'rack' | 'zone' | undefined;
  always: boolean;
  cores: number;
  memoryGiB: number;
  ready: Ms;
  tolerate: Ms;
  mayBeAway: Ms | undefined;
  /** Its pods, by their place in the room. */
  pods: number[];
}
export interface RoomPod {
  work: number;
  /** The host that it runs on; -1: none has room for it. */
  host: number;
  volumes: number[];
}
export interface RoomVolume {
  name: string;
  work: number;
  sizeGB: number;
  kind: PlannedClass['kind'];
  /** Hosts with a copy; -1 stands for one that found no place. */
  copies: number[];
  apart: PlannedClass['apart'];
  /** A copy shares that with another rather than have no place; never a host. */
  mayShare?: boolean | undefined;
  oneNode: boolean;
  attach: Ms;
  rebuild: { after: Ms; msPerGB: number };
}
export interface RoomAddress {
  name: string;
  address: string;
  by: 'arp' | 'bgp' | 'vrrp';
  /** Hosts of which one answers, or all; the first is taken to lead. */
  hosts: number[];
  /** From the death of who answers until another does. */
  over: Ms;
}
/** Something of the estate that a cluster uses: what its loss does. */
export interface RoomService {
  name: string;
  /** Without it no image can be pulled. */
  pulls: boolean;
  /** What else it does, as part of a sentence. */
  note?: string;
  /** What is missed of it over time: names, the time, or images. */
  gives: 'names' | 'time' | 'images';
}
/** A cluster as far as a loss is felt in it: who stands where, and how long everything takes. */
export interface Room {
  charter: string;
  hosts: RoomHost[];
  works: RoomWork[];
  pods: RoomPod[];
  volumes: RoomVolume[];
  addresses: RoomAddress[];
  /** Hosts with a member of etcd, and how many of them are a majority. */
  members: number[];
  majority: number;
  /** Where nodes pull images from, and the host of this cluster that it runs on; -1: elsewhere. */
  registry?: { name: string; host: number } | undefined;
  /** What is used by all of it, and stands elsewhere. */
  services?: RoomService[];
  /** Hosts that copies can lie on. */
  stores: number[];
  /** A host counts as lost. */
  grace: Ms;
  /** etcd chooses another leader. */
  election: Ms;
  /** A volume of a node that does not answer is freed, from when its pod is moved (Kubernetes documentation, "Non-graceful node shutdown": six minutes). */
  detach: Ms;
}

const s = (seconds: number): Ms => Math.round(seconds * 1000);
/** What etcd waits for its leader before it chooses another one, where nothing else is said (etcd documentation, "Tuning"), and as much again for choosing. */
const election = s(1) + s(1);
const detach = s(360);
/** Until a volume is at a node, where nothing else is said. */
const attach = 10;
/** What a plan is, rehearsed: pods and copies are placed as a scheduler would, the same ones every time. */
export function roomOf(plan: Computed): Room {
  const { charter, nodes, timers } = plan;
  const workers = nodes.some((n) => n.role === 'worker');
  const stored = new Set(storageNodes(nodes));
  const hosts = nodes.map(
    (node): RoomHost => ({
      name: node.host,
      role: node.role,
      rack: node.rack,
      zone: node.zone,
      feed: node.feed,
      switches: [...new Set(node.facts.nics.flatMap((n) => (n.link && n.neighbour ? [n.neighbour.name] : [])))],
      cores: usableCores(node.facts.cores),
      memoryGiB: usableMemory(node.facts.memoryGiB),
      volumesGB: stored.has(node) ? roomForVolumes(node) : 0,
      runs: !workers || node.role === 'worker',
    }),
  );
  const standard = plan.storage.find((c) => c.standard);
  const room: Room = {
    charter: charter.name,
    hosts,
    works: [],
    pods: [],
    volumes: [],
    addresses: addressesOf(plan, hosts),
    members: hosts.flatMap((h, i) => (h.role === 'control-plane' ? [i] : [])),
    majority: plan.quorum.majority,
    registry: plan.mirror && { name: plan.mirror.name, host: hosts.findIndex((h) => h.name === plan.mirror?.host) },
    services: servicesOf(plan),
    stores: hosts.flatMap((h, i) => (h.volumesGB > 0 ? [i] : [])),
    grace: s(timers.grace),
    election,
    detach,
  };
  for (const [work, w] of (charter.workloads ?? []).entries()) {
    const pods: number[] = [];
    const shared = w.kind === 'Deployment' ? volumesOf(room, plan, work, w.volumes ?? [], '', standard) : [];
    for (let k = 0; k < w.replicas; k++) {
      const own = w.kind === 'StatefulSet' ? volumesOf(room, plan, work, w.volumes ?? [], `-${k}`, standard) : shared;
      pods.push(room.pods.push({ work, host: -1, volumes: own }) - 1);
    }
    room.works.push({
      name: w.name,
      namespace: w.namespace,
      kind: w.kind,
      apart: w.apart,
      always: w.always ?? false,
      cores: w.cores,
      memoryGiB: w.memoryGiB,
      ready: s(w.ready),
      tolerate: s(w.tolerate ?? timers.tolerate),
      mayBeAway: w.mayBeAway === undefined ? undefined : s(w.mayBeAway),
      pods,
    });
  }
  placePods(room);
  placeCopies(room);
  return room;
}

/** How wrong a clock goes by itself, at the most: a hundred parts of a million. In a day it is so many seconds. */
export const drift = 100e-6;
const driftPerDay = 86_400 * drift;
function servicesOf({ mirror, site, charter, network }: Computed): RoomService[] {
  const asked = (field: 'resolvers' | 'ntp') =>
    [network?.[field], site?.[field], field === 'ntp' ? charter.ntp : undefined].some((l) => serverList(l ?? []).servers.length);
  const far = mirror !== undefined && mirror.site !== charter.site;
  const byName = mirror !== undefined && !isIp(mirror.endpoint.replace(/:\d+$/, ''));
  return [
    // One that runs on a host is lost with it; alone it is lost when its program is.
    ...(mirror ? [{ name: `registry ${mirror.name}`, pulls: true, gives: 'images' as const }] : []),
    ...(asked('resolvers')
      ? [{ name: 'DNS', pulls: byName, gives: 'names' as const, note: 'a node that starts anew does not find the API' }]
      : []),
    ...(asked('ntp')
      ? [{ name: 'time', pulls: false, gives: 'time' as const, note: `clocks drift by up to ${driftPerDay} s a day` }]
      : []),
    ...(far ? [{ name: 'link to other sites', pulls: true, gives: 'images' as const }] : []),
  ];
}

type Asked = { name: string; class?: string | undefined; sizeGB: number; access: 'one-node' | 'many-nodes' };
function volumesOf(
  room: Room,
  plan: Computed,
  work: number,
  asked: readonly Asked[],
  suffix: string,
  standard: PlannedClass | undefined,
): number[] {
  const name = plan.charter.workloads?.[work]?.name ?? '';
  return asked.flatMap((v) => {
    const of = v.class ? plan.storage.find((c) => c.name === v.class) : standard;
    if (!of) return [];
    const declared = plan.charter.storage?.find((c) => c.name === of.name);
    return [
      room.volumes.push({
        name: `${name}/${v.name}${suffix}`,
        work,
        sizeGB: v.sizeGB,
        kind: of.kind,
        copies: new Array<number>(of.kind === 'nfs' ? 0 : of.copies).fill(-1),
        apart: of.apart,
        mayShare: of.mayShare ?? false,
        oneNode: v.access === 'one-node' && of.kind !== 'nfs',
        attach: s(declared?.attach ?? attach),
        // 8 bits a byte: a GB takes 8 s at 1 Gbit/s.
        rebuild: { after: s(rebuildOf(of).after), msPerGB: 8000 / rebuildOf(of).gbit },
      }) - 1,
    ];
  });
}

/** Until another has the address of the API, by VRRP: three advertisements missed, and a skew (RFC 5798 §6.1); one second between two, the lowest priority that the kit gives. */
const vrrp = s(3 + (256 - 100) / 256);

function addressesOf(plan: Computed, hosts: readonly RoomHost[]): RoomAddress[] {
  const at = (host: string) => hosts.findIndex((h) => h.name === host);
  const members = plan.nodes.filter((n) => n.role === 'control-plane').map((n) => at(n.host));
  const by = plan.announcing.find((a) => a.chosen);
  const answering = answeringNodes(plan).map((n) => at(n.host));
  return [
    ...(plan.api.address ? [{ name: 'API', address: plan.api.address, by: 'vrrp' as const, hosts: members, over: vrrp }] : []),
    // One after the other, so that not one host answers for all of them.
    ...plan.services.flatMap((service, i) =>
      service.address && by && answering.length
        ? [
            {
              name: service.name,
              address: service.address,
              by: by.by,
              hosts: answering.map((_, k) => answering[(i + k) % answering.length] ?? 0),
              over: s(by.outage),
            },
          ]
        : [],
    ),
  ];
}
