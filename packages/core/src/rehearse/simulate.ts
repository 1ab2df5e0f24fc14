import TinyQueue from 'tinyqueue';
import { type Index, indexOf } from './index-of-room.ts';
import { hostFor, storeFor, take, type Used } from './place.ts';
import type { Ms, Room, RoomPod, RoomVolume, RoomWork } from './room.ts';

/** Hosts that lose power at one moment, and when they are back; undefined: not within what is rehearsed. */
export interface Loss {
  at: Ms;
  hosts: readonly number[];
  back?: Ms | undefined;
  /** They are taken out of use by somebody: their pods are evicted and their volumes detached before they are switched off. */
  drained?: boolean | undefined;
  /** The registry is away too, or alone: what is started where its image is not lacks it. */
  registry?: boolean | undefined;
  /** Services of the estate that are away, by name: what that does to nobody's pods is told apart (`serviceRows`). */
  services?: readonly string[] | undefined;
}
/** From when to when something was so; `to` undefined: until somebody mends it. */
export interface Span {
  from: Ms;
  to: Ms | undefined;
}
export interface WorkOutcome {
  work: number;
  /** How many of its pods were ready, from each moment on. */
  ready: { from: Ms; pods: number }[];
  /** When none was. */
  away: Span[];
  /** Its longest absence; undefined: until somebody mends it. */
  longest: Ms | undefined;
  /** Why what does not come back by itself does not. */
  stuck: string[];
  /** Hosts that its pods came back on. */
  movedTo: number[];
}
export interface VolumeOutcome {
  volume: number;
  /** Copies that were left when it was worst. */
  least: number;
  /** With fewer copies than it is to have. */
  degraded: Span;
  /** No copy that can be used. */
  away: Span | undefined;
  why: string;
}
export interface AddressOutcome {
  address: number;
  away: Span[];
  longest: Ms | undefined;
  /** Who answers at the end; -1: nobody. */
  by: number;
}
export interface Outcome {
  noticed: Ms | undefined;
  works: WorkOutcome[];
  volumes: VolumeOutcome[];
  addresses: AddressOutcome[];
  /** Members of etcd that are left when it is worst, and when they were no majority. */
  quorum: { left: number; lost: Span | undefined };
  /** Pods that find no place. */
  homeless: number;
  /** Cores that are free when everything that can be has been started; less than none: what waits has no room. */
  coresLeft: number;
  /** The last moment at which something happened. */
  end: Ms;
}

type Event = { at: Ms; order: number } & (
  | { is: 'down'; hosts: readonly number[]; drained: boolean }
  | { is: 'up'; hosts: readonly number[] }
  | { is: 'registry'; away: 1 | -1 }
  | { is: 'noticed'; host: number; since: Ms }
  | { is: 'move'; pod: number; since: Ms }
  | { is: 'ready'; pod: number; turn: number }
  | { is: 'rebuild'; volume: number; copy: number; since: Ms }
  | { is: 'rebuilt'; volume: number; copy: number; host: number; turn: number }
);

/**
 * What happens in a cluster when hosts lose power: a simulation by events, each at its millisecond. Of everything that takes between two times, the longer one is taken: a host that has
 * just renewed its lease, a leader that is among the lost. @param losses in any order @param rebuilds whether copies are made anew, and those told that have a copy less: of one loss that nobody
 * mends, nothing else depends on that @returns what was away, for how long, and what does not come back by itself
 */
export function simulate(room: Room, losses: readonly Loss[], rebuilds = true): Outcome {
  return new Simulation(room, rebuilds).run(losses);
}

class Simulation {
  private readonly index: Index;
  private readonly queue = new TinyQueue<Event>([], (a, b) => a.at - b.at || a.order - b.order);
  private order = 0;
  private now: Ms = 0;
  /** Since when a host is down; -1: it is up. */
  private readonly down: Float64Array;
  private readonly at: Int32Array;
  private readonly isReady: Uint8Array;
  /** A later turn of a pod makes what was on its way for it void. */
  private readonly turn: Uint32Array;
  private readonly used: Used;
  private readonly filled: Float64Array;
  private left: number;
  private noticed: Ms | undefined;
  private readonly works = new Map<number, WorkOutcome>();
  private readonly volumes = new Map<number, VolumeOutcome & { hosts: number[]; fresh: boolean[]; turns: number[] }>();
  private readonly addresses = new Map<number, AddressOutcome>();
  private quorum: Outcome['quorum'];
  /** Pods that wait for a place or a volume, with why. */
  private readonly waiting = new Map<number, string>();
  /** From when the volumes of a pod that was moved are free. */
  private readonly freed = new Map<number, Ms>();
  /** Some pod is elsewhere than at the beginning. */
  private moved = false;
  /** Pods and copies that came to a host since. */
  private readonly came = new Map<number, Set<number>>();
  private readonly cameCopies = new Map<number, { volume: number; copy: number }[]>();
  /** When a host has taken in the copies that it was given. */
  private readonly busy = new Map<number, Ms>();
  private registryGone = 0;

  constructor(
    private readonly room: Room,
    private readonly rebuilds: boolean,
  ) {
    this.index = indexOf(room);
    const { index } = this;
    const { scratch } = index;
    this.down = scratch.down.fill(-1);
    this.at = scratch.at;
    this.at.set(index.at);
    this.isReady = scratch.ready;
    this.isReady.set(index.ready);
    this.turn = scratch.turn.fill(0);
    this.used = scratch.used;
    this.used.cores.set(index.used.cores);
    this.used.memoryGiB.set(index.used.memoryGiB);
    this.filled = scratch.filled;
    this.filled.set(index.filled);
    this.left = room.members.length;
    this.quorum = { left: this.left, lost: undefined };
  }

  /** Of two at one moment the one that was put first comes first. */
  private put(event: Event): void {
    event.order = this.order++;
    this.queue.push(event);
  }
  private readonly isUp = (host: number): boolean => this.down[host] === -1;
  private get decides(): boolean {
    return this.left >= this.room.majority;
  }

  run(losses: readonly Loss[]): Outcome {
    for (const l of losses) {
      if (l.registry) {
        this.put({ at: l.at, order: 0, is: 'registry', away: 1 });
        if (l.back !== undefined) this.put({ at: Math.max(l.at, l.back), order: 0, is: 'registry', away: -1 });
      }
      this.put({ at: l.at, order: 0, is: 'down', hosts: l.hosts, drained: l.drained ?? false });
      if (l.back !== undefined) this.put({ at: Math.max(l.at, l.back), order: 0, is: 'up', hosts: l.hosts });
    }
    for (let e = this.queue.pop(); e; e = this.queue.pop()) {
      this.now = e.at;
      this.happens(e);
    }
    return this.outcome();
  }

  private happens(e: Event): void {
    if (e.is === 'down') this.goDown(e.hosts, e.drained);
    else if (e.is === 'registry') this.registryTurns(e.away);
    else if (e.is === 'up') this.comeUp(e.hosts);
    else if (e.is === 'move') this.move(e.pod, e.since);
    else if (e.is === 'rebuild') this.rebuild(e.volume, e.copy, e.since);
    else if (e.is === 'rebuilt') this.rebuilt(e.volume, e.copy, e.host, e.turn);
    else if (e.is === 'noticed') {
      if (this.down[e.host] === e.since && this.decides) this.notice(e.host);
    } else if (this.turn[e.pod] === e.turn && this.isUp(this.at[e.pod] as number)) this.becomes(e.pod, 1);
  }

  // Hosts

  private registryTurns(away: 1 | -1): void {
    this.registryGone += away;
  }
  /** Nobody gives images: it was taken away, or the host that it runs on is down. */
  private get noImages(): boolean {
    const { registry } = this.room;
    return this.registryGone > 0 || (registry !== undefined && registry.host >= 0 && !this.isUp(registry.host));
  }

  private goDown(hosts: readonly number[], drained: boolean): void {
    const fresh = hosts.filter(this.isUp);
    // Evicted while somebody decides; on hosts that are left, since no pod is given to one that is taken out of use.
    const evicted = drained && this.decides ? fresh.flatMap((h) => this.podsAt(h)) : [];
    for (const h of fresh) this.down[h] = this.now;
    this.countMembers();
    for (const h of fresh) {
      if (this.decides) this.put({ at: this.now + this.room.grace, order: 0, is: 'noticed', host: h, since: this.now });
      for (const p of this.podsAt(h)) this.becomes(p, 0);
      // Where none is made anew, one of which copies are left is as good as one that is whole.
      for (const { volume, copy } of this.copiesAt(h))
        if (this.rebuilds || this.volumes.has(volume) || !this.anyLeft(volume)) this.loseCopy(volume, copy);
    }
    for (const p of evicted) this.evict(p);
    this.answerAnew(fresh);
  }
  /** Ended where it was, its volumes detached: nothing is waited for but what starting takes. */
  private evict(p: number): void {
    take(this.used, this.at[p] as number, this.workOf(p), -1);
    this.moved = true;
    this.at[p] = -1;
    this.turn[p] = (this.turn[p] as number) + 1;
    this.freed.set(p, this.now);
    this.start(p);
  }

  private comeUp(hosts: readonly number[]): void {
    const back = hosts.filter((h) => !this.isUp(h));
    const decided = this.decides;
    for (const h of back) this.down[h] = -1;
    this.countMembers();
    // Who is down is noticed when somebody can decide again.
    if (!decided && this.decides)
      for (const [h, since] of this.down.entries())
        if (since !== -1) this.put({ at: this.now + this.room.grace, order: 0, is: 'noticed', host: h, since });
    for (const h of back) {
      // Those that were left there; what comes to it in this moment is on its way already.
      const here = [...this.podsAt(h)];
      for (const { volume, copy } of this.copiesAt(h)) if (this.rebuilds || this.volumes.has(volume)) this.regain(volume, copy);
      for (const p of here) this.again(p);
    }
    this.answerAnew([]);
    this.retry();
  }

  private countMembers(): void {
    const { members, majority } = this.room;
    this.left = members.filter(this.isUp).length;
    this.quorum.left = Math.min(this.quorum.left, this.left);
    if (this.left < majority && !this.quorum.lost) this.quorum.lost = { from: this.now, to: undefined };
    if (this.left >= majority && this.quorum.lost && this.quorum.lost.to === undefined) this.quorum.lost.to = this.now;
  }

  private notice(host: number): void {
    this.noticed ??= this.now;
    for (const p of this.podsAt(host))
      this.put({ at: this.now + this.workOf(p).tolerate, order: 0, is: 'move', pod: p, since: this.down[host] as number });
    if (!this.rebuilds) return;
    for (const { volume, copy } of this.copiesAt(host))
      this.put({
        at: this.now + (this.room.volumes[volume] as RoomVolume).rebuild.after,
        order: 0,
        is: 'rebuild',
        volume,
        copy,
        since: this.down[host] as number,
      });
  }

  // Pods

  private readonly podOf = (p: number): RoomPod => this.room.pods[p] as RoomPod;
  private readonly workOf = (p: number): RoomWork => this.room.works[this.podOf(p).work] as RoomWork;
  private readonly podsAt = (host: number): readonly number[] => {
    const own = this.index.pods[host] ?? [];
    const came = this.came.get(host);
    if (!this.moved && !came) return own;
    const here = own.filter((p) => this.at[p] === host);
    for (const p of came ?? []) if (this.at[p] === host && this.podOf(p).host !== host) here.push(p);
    return here;
  };

  private outcomeOf(work: number): WorkOutcome {
    let o = this.works.get(work);
    if (!o) {
      const pods = (this.room.works[work] as RoomWork).pods;
      const ready = pods.filter((p) => this.isReady[p]).length;
      o = { work, ready: [{ from: 0, pods: ready }], away: [], longest: 0, stuck: [], movedTo: [] };
      this.works.set(work, o);
    }
    return o;
  }

  private becomes(p: number, ready: 0 | 1): void {
    const o = this.outcomeOf(this.podOf(p).work);
    if (this.isReady[p] === ready) return;
    this.isReady[p] = ready;
    const last = o.ready.at(-1) as { from: Ms; pods: number };
    const pods = last.pods + (ready ? 1 : -1);
    if (last.from === this.now) last.pods = pods;
    else o.ready.push({ from: this.now, pods });
    const away = o.away.at(-1);
    if (!pods && (!away || away.to !== undefined)) o.away.push({ from: this.now, to: undefined });
    if (pods && away && away.to === undefined) {
      // Back in the moment in which it went: it was never away.
      if (away.from === this.now) o.away.pop();
      else away.to = this.now;
    }
    if (ready && this.podOf(p).host !== this.at[p]) o.movedTo.push(this.at[p] as number);
  }

  /** A pod of a host that is lost is started elsewhere. */
  private move(p: number, since: Ms): void {
    const host = this.at[p] as number;
    if (host < 0 || this.down[host] !== since || !this.decides) return;
    if (this.workOf(p).kind === 'StatefulSet') {
      this.waiting.set(p, `its pod counts as running on ${this.nameOf(host)} until that is back, or its pod is removed by hand`);
      return;
    }
    take(this.used, host, this.workOf(p), -1);
    this.moved = true;
    this.at[p] = -1;
    this.turn[p] = (this.turn[p] as number) + 1;
    const held = this.podOf(p).volumes.some((v) => (this.room.volumes[v] as RoomVolume).oneNode);
    this.freed.set(p, held ? this.now + this.room.detach : this.now);
    this.start(p);
  }

  /** Finds a place for a pod, and gets its volumes there; what is lacking is waited for. */
  private start(p: number): void {
    const w = this.workOf(p);
    const pod = this.podOf(p);
    let attach = 0;
    let tied: number | undefined;
    for (const v of pod.volumes) {
      const lacking = this.lacks(v);
      if (lacking) {
        this.waiting.set(p, lacking);
        return;
      }
      const volume = this.room.volumes[v] as RoomVolume;
      // What lies on the host is there.
      if (volume.kind === 'local') tied = volume.copies[0];
      else attach = Math.max(attach, volume.attach);
    }
    const siblings: number[] = [];
    for (const o of w.pods) if (o !== p && (this.at[o] as number) >= 0) siblings.push(this.at[o] as number);
    const may = tied === undefined ? this.isUp : (h: number) => this.isUp(h) && h === tied;
    const host = hostFor(this.room, w, siblings, this.used, may);
    if (host < 0) {
      this.waiting.set(p, 'no host has room for it');
      return;
    }
    this.waiting.delete(p);
    this.at[p] = host;
    const came = this.came.get(host);
    if (came) came.add(p);
    else this.came.set(host, new Set([p]));
    take(this.used, host, w, 1);
    if (this.noImages && !this.hasImage(p, host)) {
      this.waiting.set(
        p,
        `its image cannot be pulled on ${this.nameOf(host)}: ${this.room.registry?.name ?? 'the registry'} is away`,
      );
      return;
    }
    const from = Math.max(this.now, this.freed.get(p) ?? 0);
    this.put({ at: from + attach + w.ready, order: 0, is: 'ready', pod: p, turn: this.turn[p] as number });
  }

  /** Images lie where a pod of the workload has run. */
  private readonly hasImage = (p: number, host: number): boolean => this.workOf(p).pods.some((o) => this.podOf(o).host === host);

  /** A pod of a host that is back starts there, where it was not moved; so does one whose image can be pulled again. */
  private again(p: number): void {
    const host = this.at[p] as number;
    if (this.noImages && !this.hasImage(p, host)) return;
    this.waiting.delete(p);
    const why = this.podOf(p)
      .volumes.map((v) => this.lacks(v))
      .find((x) => x !== undefined);
    if (why) {
      this.waiting.set(p, why);
      return;
    }
    this.turn[p] = (this.turn[p] as number) + 1;
    this.put({ at: this.now + this.workOf(p).ready, order: 0, is: 'ready', pod: p, turn: this.turn[p] as number });
  }

  /** What waits may have what it waited for. */
  private retry(): void {
    for (const p of [...this.waiting.keys()]) {
      const host = this.at[p] as number;
      if (host < 0) this.start(p);
      else if (this.isUp(host)) this.again(p);
    }
  }

  // Volumes

  private readonly copiesAt = (host: number): readonly { volume: number; copy: number }[] => {
    const own = this.index.copies[host] ?? [];
    const came = this.cameCopies.get(host);
    // At the beginning, all that are there.
    if (!this.volumes.size && !came) return own;
    const isHere = (c: { volume: number; copy: number }) => {
      const o = this.volumes.get(c.volume);
      return !o || o.hosts[c.copy] === host;
    };
    return [...own.filter(isHere), ...(came ?? []).filter((c) => this.volumes.get(c.volume)?.hosts[c.copy] === host)];
  };

  /** Why a volume cannot be used; undefined: it can. */
  private lacks(v: number): string | undefined {
    const volume = this.room.volumes[v] as RoomVolume;
    if (volume.kind === 'nfs') return undefined;
    const o = this.volumes.get(v);
    const hosts = o?.hosts ?? volume.copies;
    for (let k = 0; k < hosts.length; k++) {
      const h = hosts[k] as number;
      if (h >= 0 && this.isUp(h) && (!o || o.fresh[k])) return undefined;
    }
    const names = [...new Set(hosts.filter((h) => h >= 0).map(this.nameOf))];
    return volume.kind === 'local'
      ? `its volume lies on ${names.join(', ') || 'no host'} alone`
      : `no copy of its volume is left: ${names.join(', ') || 'it has none'}`;
  }

  private volumeOf(v: number): VolumeOutcome & { hosts: number[]; fresh: boolean[]; turns: number[] } {
    let o = this.volumes.get(v);
    if (!o) {
      const { copies } = this.room.volumes[v] as RoomVolume;
      o = {
        volume: v,
        least: copies.filter((h) => h >= 0).length,
        degraded: { from: this.now, to: undefined },
        away: undefined,
        why: '',
        hosts: [...copies],
        fresh: copies.map((h) => h >= 0),
        turns: copies.map(() => 0),
      };
      this.volumes.set(v, o);
    }
    return o;
  }

  private anyLeft(v: number): boolean {
    for (const h of (this.room.volumes[v] as RoomVolume).copies) if (h >= 0 && this.isUp(h)) return true;
    return false;
  }

  private loseCopy(v: number, copy: number): void {
    const o = this.volumeOf(v);
    o.turns[copy] = (o.turns[copy] as number) + 1;
    if (o.degraded.to !== undefined) o.degraded.to = undefined;
    const left = this.good(o);
    o.least = Math.min(o.least, left);
    if (!left) {
      o.away = { from: o.away?.from ?? this.now, to: undefined };
      // Whoever uses it is stopped with it.
      for (const p of this.index.users[v] ?? [])
        if (this.isReady[p]) {
          this.becomes(p, 0);
          this.waiting.set(p, this.lacks(v) ?? '');
        }
    }
    o.why = this.lacks(v) ?? 'its hosts are to be back';
  }
  private readonly good = (o: { hosts: number[]; fresh: boolean[] }): number =>
    o.hosts.filter((h, k) => h >= 0 && this.isUp(h) && o.fresh[k]).length;

  /** A host that is back has its copy: the only one is what there is; one beside others takes in what it missed. */
  private regain(v: number, copy: number): void {
    const o = this.volumeOf(v);
    const others = this.good({ hosts: o.hosts.filter((_, k) => k !== copy), fresh: o.fresh.filter((_, k) => k !== copy) });
    if (others && o.fresh[copy]) {
      o.fresh[copy] = false;
      this.takeIn(v, copy, o.hosts[copy] as number);
      return;
    }
    if (!others) o.fresh[copy] = true;
    this.settle(v);
  }

  /** Another host is to have the copy that is lost. */
  private rebuild(v: number, copy: number, since: Ms): void {
    const o = this.volumeOf(v);
    const volume = this.room.volumes[v] as RoomVolume;
    const host = o.hosts[copy] as number;
    if (host < 0 || this.down[host] !== since || volume.kind !== 'copies') return;
    if (!this.good(o)) {
      o.why = 'no copy is left that another could be made of';
      return;
    }
    const kept = o.hosts.filter((h, k) => k !== copy && h >= 0);
    const to = storeFor(this.room, kept, volume, this.filled, this.isUp);
    if (to < 0) {
      o.why = `no further ${volume.apart} has room for a copy`;
      return;
    }
    this.filled[to] = (this.filled[to] as number) + volume.sizeGB;
    o.hosts[copy] = to;
    o.fresh[copy] = false;
    const came = this.cameCopies.get(to);
    if (came) came.push({ volume: v, copy });
    else this.cameCopies.set(to, [{ volume: v, copy }]);
    o.why = `made anew on ${this.nameOf(to)}`;
    this.takeIn(v, copy, to);
  }
  private takeIn(v: number, copy: number, host: number): void {
    const o = this.volumeOf(v);
    const volume = this.room.volumes[v] as RoomVolume;
    const end = Math.max(this.now, this.busy.get(host) ?? 0) + Math.round(volume.sizeGB * volume.rebuild.msPerGB);
    this.busy.set(host, end);
    o.turns[copy] = (o.turns[copy] as number) + 1;
    this.put({ at: end, order: 0, is: 'rebuilt', volume: v, copy, host, turn: o.turns[copy] as number });
  }
  private rebuilt(v: number, copy: number, host: number, turn: number): void {
    const o = this.volumeOf(v);
    if (o.turns[copy] !== turn || o.hosts[copy] !== host || !this.isUp(host)) return;
    o.fresh[copy] = true;
    this.settle(v);
  }
  private settle(v: number): void {
    const o = this.volumeOf(v);
    const left = this.good(o);
    if (left && o.away && o.away.to === undefined) {
      o.away.to = this.now;
      this.retry();
    }
    if (left === (this.room.volumes[v] as RoomVolume).copies.filter((h) => h >= 0).length) {
      o.degraded.to = this.now;
      o.why = '';
    }
  }

  // Addresses

  private answerAnew(fresh: readonly number[]): void {
    for (const [a, address] of this.room.addresses.entries()) {
      const known = this.addresses.get(a);
      const by = known ? known.by : (address.hosts[0] ?? -1);
      const hit = address.by === 'bgp' ? address.hosts.some((h) => fresh.includes(h)) : by >= 0 && !this.isUp(by);
      const api = address.by === 'vrrp';
      // The leader of etcd may be among the lost ones.
      const chosen = api && fresh.some((h) => this.room.members.includes(h));
      if (!hit && !chosen && !(known && known.away.at(-1)?.to === undefined && known.away.length)) continue;
      const o = known ?? { address: a, away: [], longest: 0, by };
      this.addresses.set(a, o);
      const next = address.hosts.find(this.isUp) ?? -1;
      const works = next >= 0 && (!api || this.decides);
      const over = Math.max(hit ? address.over : 0, chosen ? this.room.election : 0);
      const last = o.away.at(-1);
      o.by = works ? next : -1;
      // One absence that goes on is one.
      const going = last && (last.to === undefined || last.to > this.now) ? last : undefined;
      const from = going?.from ?? this.now;
      const to = works
        ? this.now + (going && going.to === undefined ? Math.max(over, api ? this.room.election : address.over) : over)
        : undefined;
      if (going) going.to = to;
      else o.away.push({ from, to });
    }
  }

  // What it came to

  private readonly nameOf = (host: number): string => this.room.hosts[host]?.name ?? '';

  private outcome(): Outcome {
    for (const [p, why] of this.waiting) {
      const o = this.outcomeOf(this.podOf(p).work);
      if (why && !o.stuck.includes(why)) o.stuck.push(why);
    }
    // Nobody decides: what ran on the lost hosts stays where it was.
    for (const [h, since] of this.down.entries())
      if (since !== -1 && !this.decides)
        for (const p of this.podsAt(h)) {
          const o = this.outcomeOf(this.podOf(p).work);
          const why = 'the control plane has no majority: nothing is moved';
          if (!o.stuck.includes(why)) o.stuck.push(why);
        }
    for (const o of [...this.works.values(), ...this.addresses.values()])
      o.longest = o.away.some((s) => s.to === undefined)
        ? undefined
        : Math.max(0, ...o.away.map((s) => (s.to as number) - s.from));
    const { hosts } = this.room;
    let free = 0;
    for (const [i, h] of hosts.entries()) if (h.runs && this.isUp(i)) free += h.cores - (this.used.cores[i] as number);
    for (const p of this.waiting.keys()) if ((this.at[p] as number) < 0) free -= this.workOf(p).cores;
    return {
      noticed: this.noticed,
      works: [...this.works.values()],
      volumes: [...this.volumes.values()].map(({ volume, least, degraded, away, why }) => ({
        volume,
        least,
        degraded,
        away,
        why,
      })),
      addresses: [...this.addresses.values()],
      quorum: this.quorum,
      homeless: [...this.waiting].filter(([p, why]) => (this.at[p] as number) < 0 && why === 'no host has room for it').length,
      coresLeft: Math.round(free * 100) / 100,
      end: this.now,
    };
  }
}
