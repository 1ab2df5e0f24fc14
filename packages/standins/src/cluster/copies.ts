import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { copyFileSync, existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { KubeObject } from './kinds.ts';
import { program, type State } from './pods.ts';
import { bytesOf } from './volumes.ts';

/** Programs of a release, by the last part of the name of their image: one decides where copies lie, one on every host keeps and mounts them. */
const controller = 'volume-controller';
const keeper = 'volume-node';
/** Where a host keeps its copies: a folder for each. */
const folder = '/var/lib/containerd/volumes/copies';

/** A host as the driver sees it. */
export interface CopyHost {
  /** Where its files are. */
  files: string;
  /** Since when it runs, and since when it says nothing; by the wall clock. */
  since: number;
  away?: number | undefined;
}
/** What the driver goes by. */
export interface Around {
  hosts: ReadonlyMap<string, CopyHost>;
  objects: readonly KubeObject[];
  state: State;
  /** Seconds after which a silent host counts as lost. */
  grace: number;
  now: number;
  /** The moment so many seconds of the simulated clock after one, by the wall clock. */
  after: (since: number, seconds: number) => number;
}

interface Copy {
  host: string;
  /** Which write was the last that it has: the volume's own, or it lacks something; -1: it has nothing that is whole. */
  has: number;
  state: 'current' | 'filling' | 'behind' | 'silent' | 'gone';
  since: number;
  filling?: { from: string; began: number; ends: number } | undefined;
  message?: string | undefined;
}
interface Kept {
  class: string;
  bytes: number;
  wanted: number;
  apart: 'host' | 'rack' | 'zone';
  /** It shares that with another rather than have no place. */
  share: boolean;
  /** Writes that were acknowledged so far. */
  writes: number;
  copies: Copy[];
  /** Hosts on which a copy was given up: it goes when all others are whole. */
  left: { host: string; has: number }[];
  kept: boolean;
}
export type SavedCopies = [volume: string, kept: Kept][];
interface Place {
  rack: string;
  zone: string;
  gb: number;
}

const runs = (state: State, name: string) =>
  state.pods.filter(
    (p) => p.ready && (p.owner.spec.template.spec.containers as { image: string }[]).some((c) => program(c.image) === name),
  );
const lines = (text: string | undefined) =>
  (text ?? '')
    .split('\n')
    .filter(Boolean)
    .map((l) => l.trim().split(/\s+/));

/**
 * The driver of a release that keeps volumes in copies. A write is acknowledged when it lies on every copy that can be reached; one that misses a write is behind, and takes in
 * everything from another before it counts again. One whose host is away for longer than the settings say is made anew elsewhere. Copies are folders with real files, so what a host loses is lost.
 */
export class Copies {
  private volumes = new Map<string, Kept>();
  private last = 0;
  private around: Around | undefined;

  save = (): SavedCopies => structuredClone([...this.volumes]);
  restore(saved: SavedCopies): void {
    this.volumes = new Map(structuredClone(saved));
  }

  /** Everything up to now. @returns whether something became another */
  settle(a: Around): boolean {
    this.around = a;
    const before = JSON.stringify([...this.volumes]);
    const settings = a.objects.find((o) => o.kind === 'ConfigMap' && o.metadata.name === controller)?.data;
    const places = new Map(
      lines(settings?.hosts).map(([host = '', rack = '', zone = '', gb = '0']): [string, Place] => [
        host,
        { rack, zone, gb: Number(gb) },
      ]),
    );
    const rates = new Map(
      lines(settings?.rebuild).map(([name = '', after, gbit]) => [name, { after: Number(after), gbit: Number(gbit) }]),
    );
    const keepers = new Set(runs(a.state, keeper).map((p) => p.node ?? ''));
    const decides = runs(a.state, controller).length > 0;
    const is: Is = { a, places, keepers, last: this.last };
    const made = a.state.volumes.volumes.filter((v) => v.spec.csi && rates.has(v.spec.storageClassName));
    for (const [name, k] of this.volumes) {
      if (made.some((v) => v.metadata.name === name)) continue;
      if (!k.kept)
        for (const c of [...k.copies, ...k.left])
          if (is.a.hosts.has(c.host)) rmSync(at(is, c.host, name), { recursive: true, force: true });
      this.volumes.delete(name);
    }
    for (const v of made) {
      const name = v.metadata.name;
      const storage = a.objects.find((o) => o.kind === 'StorageClass' && o.metadata.name === v.spec.storageClassName) as
        | (KubeObject & { parameters?: Record<string, string>; reclaimPolicy?: string })
        | undefined;
      const rate = rates.get(v.spec.storageClassName) as { after: number; gbit: number };
      const k: Kept = {
        ...(this.volumes.get(name) ?? { writes: 0, copies: [], left: [] }),
        class: v.spec.storageClassName,
        bytes: bytesOf(v.spec.capacity?.storage),
        wanted: Number(storage?.parameters?.copies ?? 1),
        apart: (storage?.parameters?.apart ?? 'host') as Kept['apart'],
        share: storage?.parameters?.share === 'true',
        kept: storage?.reclaimPolicy === 'Retain',
      };
      this.volumes.set(name, k);
      const takes = (k.bytes * 8) / (rate.gbit * 1e9);
      // What ends lets something else begin, and all of it may lie in the past.
      for (let step = ''; step !== JSON.stringify(k); ) {
        step = JSON.stringify(k);
        this.ended(is, name, k);
        this.takeBack(is, name, k);
        if (decides) this.place(is, name, k, rate.after, takes);
        this.fill(is, name, k, takes);
      }
      for (const c of k.copies) tell(is, name, k, c);
      this.clear(is, name, k);
    }
    this.last = a.now;
    return before !== JSON.stringify([...this.volumes]);
  }

  /** What was filling is whole, or was broken off. */
  private ended(is: Is, name: string, k: Kept): void {
    for (const c of k.copies) {
      const f = c.filling;
      if (!f) {
        if (c.has >= 0 && up(is, c.host) && !existsSync(at(is, c.host, name))) c.has = -1;
        continue;
      }
      const broken = Math.min(goneAt(is, c.host, f.began), goneAt(is, f.from, f.began));
      if (broken < f.ends) {
        if (is.a.hosts.has(c.host) && is.a.hosts.has(f.from))
          partOf(at(is, f.from, name), at(is, c.host, name), (broken - f.began) / (f.ends - f.began));
        c.filling = undefined;
        c.has = -1;
      } else if (is.a.now >= f.ends) {
        mirror(at(is, f.from, name), at(is, c.host, name));
        c.filling = undefined;
        c.has = k.writes;
        c.since = f.ends;
      }
    }
  }

  /** Where nobody has all of it, one that was given up and has it counts again. */
  private takeBack(is: Is, name: string, k: Kept): void {
    if (!k.copies.length || k.copies.some((c) => current(is, k, c))) return;
    const found = k.left.find((l) => l.has === k.writes && up(is, l.host) && existsSync(at(is, l.host, name)));
    const lacking = k.copies.find((c) => c.has !== k.writes);
    if (!found || !lacking) return;
    k.left = [...k.left.filter((l) => l !== found), { host: lacking.host, has: -1 }];
    Object.assign(lacking, { host: found.host, has: k.writes, filling: undefined });
  }

  /**
   * Gives copies that have no host one, and those another whose host is away for too long. One on a host that copies may lie on no more is given up when all others are whole; until then it is
   * one more.
   */
  private place(is: Is, name: string, k: Kept, after: number, takes: number): void {
    const source = k.copies.find((c) => current(is, k, c));
    const placed = (c: Copy) => is.places.has(c.host);
    const good = k.copies.filter((c) => placed(c) && current(is, k, c)).length;
    k.copies = k.copies.filter((c) => {
      if (placed(c) || (up(is, c.host) && good < k.wanted) || !good) return true;
      k.left.push({ host: c.host, has: c.has });
      return false;
    });
    while (k.copies.filter(placed).length < k.wanted) {
      const others = k.copies.filter(placed).map((c) => c.host);
      const host = this.room(is, k, others);
      if (!host) break;
      const empty = k.writes === 0;
      if (empty) mkdirSync(at(is, host, name), { recursive: true });
      else if (!source) break;
      k.left = k.left.filter((l) => l.host !== host);
      k.copies.push({ host, has: empty ? 0 : -1, state: 'behind', since: is.a.now });
    }
    for (const c of k.copies) {
      const h = is.a.hosts.get(c.host);
      c.message = undefined;
      if (!placed(c) || up(is, c.host) || !source) continue;
      const lost = h ? (h.away === undefined ? Number.POSITIVE_INFINITY : is.a.after(h.away, is.a.grace + after)) : is.a.now;
      if (lost > is.a.now) continue;
      const to = this.room(
        is,
        k,
        k.copies.filter((o) => o !== c && placed(o)).map((o) => o.host),
      );
      if (!to) {
        c.message = `no further ${k.apart} has room for a copy`;
        continue;
      }
      k.left.push({ host: c.host, has: c.has });
      k.left = k.left.filter((l) => l.host !== to);
      const began = Math.max(lost, is.last, this.busy(to));
      Object.assign(c, {
        host: to,
        has: -1,
        since: began,
        filling: { from: source.host, began, ends: is.a.after(began, takes) },
      });
    }
  }

  /** One that lacks something takes in everything from one that has it. */
  private fill(is: Is, name: string, k: Kept, takes: number): void {
    const source = k.copies.find((c) => current(is, k, c));
    for (const c of k.copies) {
      if (c.filling || !up(is, c.host) || !source || current(is, k, c)) continue;
      mkdirSync(at(is, c.host, name), { recursive: true });
      const began = Math.max(is.a.hosts.get(c.host)?.since ?? 0, Math.min(is.last, is.a.now), this.busy(c.host));
      c.filling = { from: source.host, began, ends: is.a.after(began, takes) };
    }
  }

  /** Until when a host takes in copies: one after the other. */
  private busy = (host: string): number =>
    Math.max(
      0,
      ...[...this.volumes.values()].flatMap((k) => k.copies.flatMap((c) => (c.host === host && c.filling ? c.filling.ends : []))),
    );

  /** The host with the largest share of its room free, that shares nothing with those that have copies; undefined: none has room. */
  private room(is: Is, k: Kept, others: readonly string[]): string | undefined {
    const domain = (host: string) => (k.apart === 'host' ? host : is.places.get(host)?.[k.apart]);
    const taken = new Set(others.map(domain));
    const held = (host: string) =>
      [...this.volumes.values()].reduce((sum, v) => sum + (v.copies.some((c) => c.host === host) ? v.bytes / 1e9 : 0), 0);
    return [...is.places]
      .filter(
        ([host, p]) =>
          up(is, host) && !others.includes(host) && (k.share || !taken.has(domain(host))) && p.gb - held(host) >= k.bytes / 1e9,
      )
      .map(([host, p]) => ({ host, shares: taken.has(domain(host)) ? 1 : 0, free: (p.gb - held(host)) / p.gb }))
      .sort((a, b) => a.shares - b.shares || b.free - a.free || a.host.localeCompare(b.host, 'en', { numeric: true }))[0]?.host;
  }

  /** Those that were given up go where nobody needs them. */
  private clear(is: Is, name: string, k: Kept): void {
    if (k.copies.length < k.wanted || !k.copies.every((c) => current(is, k, c))) return;
    k.left = k.left.filter((l) => {
      if (!up(is, l.host)) return is.a.hosts.has(l.host);
      rmSync(at(is, l.host, name), { recursive: true, force: true });
      return false;
    });
  }

  /** Why a volume cannot be used; undefined: it can, or it is none of these. */
  lacks(volume: string, driver: string, node: string, state: State): string | undefined {
    const k = this.volumes.get(volume);
    if (!k || !this.around) return undefined;
    if (!runs(state, keeper).some((p) => p.node === node))
      return `MountVolume.MountDevice failed for volume "${volume}": driver name ${driver} not found in the list of registered CSI drivers`;
    const is = { a: this.around, keepers: new Set(runs(state, keeper).map((p) => p.node ?? '')) };
    if (k.copies.some((c) => current(is, k, c))) return undefined;
    const why = k.copies.length
      ? `no copy that has all that was written can be reached: ${k.copies.map((c) => `${c.host} ${c.state === 'silent' ? 'does not answer' : 'lacks something'}`).join(', ')}`
      : 'no host has room for a copy, or nobody decides';
    return `MountVolume.MountDevice failed for volume "${volume}": ${why}`;
  }

  /** The folder that has all of a volume; undefined: none can be reached. */
  opened(volume: string): string | undefined {
    const [is, k] = [this.is(), this.volumes.get(volume)];
    const c = is && k?.copies.find((x) => current(is, k, x));
    return c && is ? at(is, c.host, volume) : undefined;
  }
  /** What lies in a folder takes the place of what the volume has, on all copies that can be reached. @returns whether it is acknowledged: it lies on one at least */
  put(volume: string, from: string): boolean {
    const [is, k] = [this.is(), this.volumes.get(volume)];
    const good = is && k ? k.copies.filter((c) => current(is, k, c)) : [];
    if (!is || !k || !good.length) return false;
    k.writes++;
    for (const c of good) {
      mirror(from, at(is, c.host, volume));
      c.has = k.writes;
    }
    return true;
  }
  private is(): Pick<Is, 'a' | 'keepers'> | undefined {
    return this.around && { a: this.around, keepers: new Set(runs(this.around.state, keeper).map((p) => p.node ?? '')) };
  }
  /** The volume that a kubelet mounts at a path: by the digest of its handle. */
  mountedAt(path: string, volumes: readonly KubeObject[]): string | undefined {
    const [, driver, digest] =
      /^\/var\/lib\/kubelet\/plugins\/kubernetes\.io\/csi\/([a-z0-9.-]+)\/([0-9a-f]{64})\/globalmount$/.exec(path) ?? [];
    return volumes.find(
      (v) => v.spec.csi?.driver === driver && createHash('sha256').update(v.spec.csi.volumeHandle).digest('hex') === digest,
    )?.metadata.name;
  }

  /** What the driver tells: an object for each copy. */
  objects(group: string, stamp: (wall: number) => string): KubeObject[] {
    const now = this.around?.now ?? 0;
    return [...this.volumes].flatMap(([volume, k]) =>
      k.copies.map((c, n) => {
        const f = c.state === 'filling' ? c.filling : undefined;
        const part = f ? Math.max(0, Math.min(1, (now - f.began) / (f.ends - f.began || 1))) : 0;
        return {
          apiVersion: `${group}/v1`,
          kind: 'Copy',
          metadata: { name: `${volume}-${n}` },
          spec: { volume, host: c.host },
          status: {
            state: c.state,
            since: stamp(c.since),
            ...(f ? { from: f.from, filled: Math.floor(part * k.bytes), of: k.bytes, until: stamp(f.ends) } : {}),
            ...(c.message ? { message: c.message } : {}),
          },
        };
      }),
    );
  }
}

interface Is {
  a: Around;
  places: ReadonlyMap<string, Place>;
  keepers: ReadonlySet<string>;
  last: number;
}
const up = (is: Pick<Is, 'a' | 'keepers'>, host: string): boolean => {
  const h = is.a.hosts.get(host);
  return h !== undefined && h.away === undefined && is.keepers.has(host);
};
const current = (is: Pick<Is, 'a' | 'keepers'>, k: Kept, c: Copy): boolean => !c.filling && c.has === k.writes && up(is, c.host);
/** When a host that was there at a moment was gone afterwards. */
function goneAt(is: Is, host: string, from: number): number {
  const h = is.a.hosts.get(host);
  if (!h) return from;
  if (h.away !== undefined) return h.away;
  return h.since > from ? from : Number.POSITIVE_INFINITY;
}
const at = (is: Pick<Is, 'a'>, host: string, volume: string): string => join(is.a.hosts.get(host)?.files ?? '', folder, volume);

function tell(is: Is, name: string, k: Kept, c: Copy): void {
  const h = is.a.hosts.get(c.host);
  const is_: Copy['state'] = !up(is, c.host)
    ? 'silent'
    : c.filling
      ? 'filling'
      : c.has === k.writes
        ? 'current'
        : existsSync(at(is, c.host, name))
          ? 'behind'
          : 'gone';
  if (is_ === c.state) return;
  if (is_ === 'silent') c.since = h?.away ?? is.a.now;
  else if (is_ === 'filling') c.since = c.filling?.began ?? is.a.now;
  else if (c.state !== 'filling') c.since = Math.max(c.since, h?.since ?? is.a.now);
  c.state = is_;
}

function mirror(from: string, to: string): void {
  if (from === to) return;
  rmSync(to, { recursive: true, force: true });
  mkdirSync(to, { recursive: true });
  execFileSync('cp', ['-a', `${from}/.`, to]);
}
/** What had come of a copy when it was broken off: the first files, by name. */
function partOf(from: string, to: string, part: number): void {
  if (!existsSync(from)) return;
  rmSync(to, { recursive: true, force: true });
  mkdirSync(to, { recursive: true });
  const files = readdirSync(from, { recursive: true, withFileTypes: true })
    .filter((e) => e.isFile())
    .map((e) => join(e.parentPath, e.name).slice(from.length + 1))
    .sort();
  let left = files.reduce((sum, f) => sum + statSync(join(from, f)).size, 0) * part;
  for (const f of files) {
    left -= statSync(join(from, f)).size;
    if (left < 0) return;
    mkdirSync(dirname(join(to, f)), { recursive: true });
    copyFileSync(join(from, f), join(to, f));
  }
}
