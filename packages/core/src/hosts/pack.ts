import { z } from 'zod';

/** A hypervisor as packing sees it. Memory is hard; processor cores may be promised `overcommit` times over. */
export interface Bin {
  name: string;
  zone: string;
  cores: number;
  overcommit: number;
  /** What guests may use of its memory: all of it less what it keeps for itself. */
  memoryGiB: number;
  pools: { name: string; media: string; sizeGB: number }[];
  networks: readonly string[];
}
/** A guest to be placed, or one that is: then `on` names its hypervisor and it stays there. */
export interface Piece {
  name: string;
  vcpu: number;
  memoryGiB: number;
  disks: { sizeGB: number; media?: string | undefined }[];
  networks: readonly string[];
  /** Guests of one group stay apart: on hypervisors of their own, and spread over the zones. */
  group?: string | undefined;
  on?: string | undefined;
}
export const Left = z.strictObject({
  hypervisor: z.string(),
  guests: z.number(),
  vcpu: z.number(),
  memoryGiB: z.number(),
  diskGB: z.number(),
});
export type Left = z.infer<typeof Left>;
/** What becomes of the guests of one hypervisor when it fails. */
export const Loss = z.strictObject({
  hypervisor: z.string(),
  guests: z.number(),
  /** Guests for which the others have no room, largest first. */
  stranded: z.array(z.string()),
  /** Guests that would stand beside one of their own group. */
  crowded: z.array(z.string()),
  memoryLeftGiB: z.number(),
});
export type Loss = z.infer<typeof Loss>;
export const Packing = z.strictObject({
  placed: z.array(z.strictObject({ guest: z.string(), hypervisor: z.string(), pools: z.array(z.string()) })),
  unplaced: z.array(z.strictObject({ guest: z.string(), why: z.string() })),
  left: z.array(Left),
  losses: z.array(Loss),
  /** No packing uses fewer hypervisors than `atLeast`; this one uses `used`. */
  bound: z.strictObject({ used: z.number(), atLeast: z.number(), text: z.string() }),
});
export type Packing = z.infer<typeof Packing>;
export interface PackRules {
  /** `spread` loads all hypervisors alike; `dense` uses as few as it can. */
  strategy: 'spread' | 'dense';
  /** Any one hypervisor may fail, and its guests find room at the others. */
  tolerate: 0 | 1;
}

interface Load {
  bin: Bin;
  cpuRoom: number;
  memRoom: number;
  cpu: number;
  mem: number;
  pools: number[];
  groups: Map<string, number>;
  guests: Placed[];
}
interface Placed {
  piece: Piece;
  pools: number[];
}

const cpuOf = (b: Bin) => b.cores * b.overcommit;

/**
 * Guests onto hypervisors: processor cores with overcommit, memory hard, disks each in one pool of their medium, networks
 * present, guests of a group apart by hypervisor and zone. With `tolerate: 1` room is kept so that the guests of any one
 * hypervisor can be started at the others. Deterministic; guests that are placed already stay.
 *
 * @returns what was placed and what was not with the reason, what is left, what is left when any one fails, and how far
 * the number of hypervisors used can be from the best there is
 */
export function pack(bins: readonly Bin[], pieces: readonly Piece[], rules: PackRules): Packing {
  const order = [...bins].sort((a, b) => (a.name < b.name ? -1 : 1));
  const fixed = pieces.filter((p) => p.on !== undefined);
  const free = pieces
    .filter((p) => p.on === undefined)
    .sort((a, b) => weight(b, order) - weight(a, order) || (a.name < b.name ? -1 : 1));
  const atLeast = leastBins(order, pieces);
  const inUse = new Set(fixed.map((p) => p.on as string));
  const firstTry = Math.max(1, Math.min(order.length, Math.max(atLeast, inUse.size)));
  let best: Load[] | undefined;
  let unplaced: Packing['unplaced'] = [];
  for (const count of counts(rules, firstTry, order.length)) {
    const chosen = openFirst(order, inUse, count);
    for (const share of shares(order.length, rules)) {
      const t = attempt(chosen, fixed, free, share);
      const whole = t.unplaced.length === 0;
      if (!best || t.unplaced.length < unplaced.length) {
        best = t.loads;
        unplaced = t.unplaced;
      }
      if (!whole) break; // A smaller share leaves even more without a place.
      if (!rules.tolerate || lossesOf(everyLoad(order, t.loads), true).length === 0) return result(order, t.loads, [], atLeast);
    }
  }
  // The largest first misses a few packings that there are: with few guests all of them are looked through.
  const found = unplaced.length && free.length <= fewGuests ? search(order, fixed, free, rules) : undefined;
  if (found) return result(order, found, [], atLeast);
  return result(
    order,
    best ?? [],
    best ? unplaced : free.map((p) => ({ guest: p.name, why: 'there is no hypervisor' })),
    atLeast,
  );
}

/** How full hypervisors may be made, tried in this order: as full as they get first, then with room for one failure. */
function shares(count: number, rules: PackRules): number[] {
  if (!rules.tolerate || count < 2) return [1];
  const ideal = (count - 1) / count;
  return [1, ideal, ideal * 0.95];
}

/**
 * How many hypervisors are put to use, tried in this order. Dense begins with the fewest there can be. Spread uses all;
 * where no failure is survived then, one and more are kept free: many small gaps take no large guest, one whole
 * hypervisor does.
 */
function counts(rules: PackRules, first: number, all: number): number[] {
  if (!all) return [];
  const up = Array.from({ length: Math.max(1, all - first + 1) }, (_, i) => Math.min(all, first + i));
  return rules.strategy === 'dense' ? up : rules.tolerate ? up.reverse() : [all];
}

/** The share of an average hypervisor that a guest takes in what is scarcest for it. */
function weight(p: Piece, bins: readonly Bin[]): number {
  const n = Math.max(1, bins.length);
  const cpu = bins.reduce((s, b) => s + cpuOf(b), 0) / n || 1;
  const mem = bins.reduce((s, b) => s + b.memoryGiB, 0) / n || 1;
  return Math.max(p.vcpu / cpu, p.memoryGiB / mem);
}

/** Hypervisors to use: those that carry guests already, then the largest, taken from the zones in turn. */
function openFirst(bins: readonly Bin[], inUse: ReadonlySet<string>, count: number): Bin[] {
  const taken = bins.filter((b) => inUse.has(b.name));
  const often = new Map<string, number>();
  for (const b of taken) often.set(b.zone, (often.get(b.zone) ?? 0) + 1);
  const rest = bins.filter((b) => !inUse.has(b.name));
  while (taken.length < count && rest.length) {
    let at = 0;
    for (let i = 1; i < rest.length; i++) {
      const a = rest[i] as Bin;
      const b = rest[at] as Bin;
      const d = (often.get(a.zone) ?? 0) - (often.get(b.zone) ?? 0) || b.memoryGiB - a.memoryGiB || cpuOf(b) - cpuOf(a);
      if (d < 0) at = i;
    }
    const [next] = rest.splice(at, 1) as [Bin];
    often.set(next.zone, (often.get(next.zone) ?? 0) + 1);
    taken.push(next);
  }
  return taken;
}

const emptyLoad = (bin: Bin): Load => ({
  bin,
  cpuRoom: cpuOf(bin),
  memRoom: bin.memoryGiB,
  cpu: 0,
  mem: 0,
  pools: bin.pools.map((p) => p.sizeGB),
  groups: new Map(),
  guests: [],
});
const everyLoad = (bins: readonly Bin[], loads: readonly Load[]): Load[] => {
  const byName = new Map(loads.map((l) => [l.bin.name, l]));
  return bins.map((b) => byName.get(b.name) ?? emptyLoad(b));
};

function attempt(bins: readonly Bin[], fixed: readonly Piece[], free: readonly Piece[], share: number) {
  const loads = bins.map(emptyLoad);
  const byName = new Map(loads.map((l) => [l.bin.name, l]));
  const zones = [...new Set(bins.map((b) => b.zone))];
  const zoneOf = loads.map((l) => zones.indexOf(l.bin.zone));
  /** How many of a group stand in each zone. */
  const spread = new Map<string, number[]>();
  const note = (group: string | undefined, zone: number) => {
    if (!group) return;
    const row = spread.get(group) ?? zones.map(() => 0);
    row[zone] = (row[zone] ?? 0) + 1;
    spread.set(group, row);
  };
  for (const p of fixed) {
    const load = byName.get(p.on as string);
    if (!load) continue;
    put(load, p, poolsFor(load, p) ?? []);
    note(p.group, zoneOf[loads.indexOf(load)] as number);
  }
  const unplaced: Packing['unplaced'] = [];
  for (const p of free) {
    const row = p.group ? spread.get(p.group) : undefined;
    let best = -1;
    let bestCost = Number.POSITIVE_INFINITY;
    for (let i = 0; i < loads.length; i++) {
      const load = loads[i] as Load;
      const mem = load.mem + p.memoryGiB;
      const cpu = load.cpu + p.vcpu;
      if (mem > load.memRoom * share || cpu > load.cpuRoom * share) continue;
      // The zone counts before the load: a zone with fewer of the group is worth any difference in fullness.
      const cost = (row ? (row[zoneOf[i] as number] as number) : 0) * 10 + Math.max(mem / load.memRoom, cpu / load.cpuRoom);
      if (cost >= bestCost || (p.group && load.groups.has(p.group)) || !reaches(load.bin, p) || !poolsFor(load, p)) continue;
      best = i;
      bestCost = cost;
    }
    if (best < 0) {
      unplaced.push({ guest: p.name, why: whyNot(loads, p, share) });
      continue;
    }
    const load = loads[best] as Load;
    put(load, p, poolsFor(load, p) as number[]);
    note(p.group, zoneOf[best] as number);
  }
  return { loads, unplaced };
}

/** Guests up to which every packing is tried when the quick way finds none, and how many places are tried at most. */
const fewGuests = 24;
const mostTried = 60_000;

/**
 * Every guest onto every hypervisor and pool, the largest first, hypervisors that are alike tried once; the first packing
 * that takes all, and with `tolerate: 1` bears each failure. Undefined: there is none, or none was found within the tries.
 */
function search(bins: readonly Bin[], fixed: readonly Piece[], free: readonly Piece[], rules: PackRules): Load[] | undefined {
  const loads = bins.map(emptyLoad);
  for (const p of fixed) {
    const load = loads.find((l) => l.bin.name === p.on);
    if (load) put(load, p, poolsFor(load, p) ?? []);
  }
  let tries = 0;
  const alike = (l: Load) =>
    JSON.stringify([
      l.cpuRoom - l.cpu,
      l.memRoom - l.mem,
      l.pools,
      l.bin.pools.map((p) => p.media),
      l.bin.networks,
      [...l.groups.keys()],
    ]);
  const place = (at: number): boolean => {
    const p = free[at];
    if (!p) return !rules.tolerate || lossesOf(loads, true).length === 0;
    const seen = new Set<string>();
    for (const load of loads) {
      if (load.mem + p.memoryGiB > load.memRoom || load.cpu + p.vcpu > load.cpuRoom) continue;
      if ((p.group && load.groups.has(p.group)) || !reaches(load.bin, p)) continue;
      const same = alike(load);
      if (seen.has(same)) continue;
      seen.add(same);
      for (const pools of everyPools(load, p)) {
        if (++tries > mostTried) return false;
        put(load, p, pools);
        if (place(at + 1)) return true;
        takeOut(load, p, pools);
      }
    }
    return false;
  };
  return place(0) ? loads : undefined;
}

/** Every way to lay the disks of a guest into pools, each medium and size once. */
function* everyPools(load: Load, p: Piece, at = 0, left: readonly number[] = load.pools): Generator<number[]> {
  const d = p.disks[at];
  if (!d) {
    yield [];
    return;
  }
  const seen = new Set<string>();
  for (let i = 0; i < left.length; i++) {
    const media = load.bin.pools[i]?.media;
    if ((d.media && media !== d.media) || (left[i] as number) < d.sizeGB) continue;
    const same = `${media} ${left[i]}`;
    if (seen.has(same)) continue;
    seen.add(same);
    for (const rest of everyPools(load, p, at + 1, left.with(i, (left[i] as number) - d.sizeGB))) yield [i, ...rest];
  }
}

function takeOut(load: Load, piece: Piece, pools: readonly number[]): void {
  load.cpu -= piece.vcpu;
  load.mem -= piece.memoryGiB;
  pools.forEach((at, i) => {
    load.pools[at] = (load.pools[at] ?? 0) + (piece.disks[i]?.sizeGB ?? 0);
  });
  if (piece.group) {
    const n = (load.groups.get(piece.group) ?? 1) - 1;
    if (n) load.groups.set(piece.group, n);
    else load.groups.delete(piece.group);
  }
  load.guests.pop();
}

function put(load: Load, piece: Piece, pools: number[]): void {
  load.cpu += piece.vcpu;
  load.mem += piece.memoryGiB;
  pools.forEach((at, i) => {
    load.pools[at] = (load.pools[at] ?? 0) - (piece.disks[i]?.sizeGB ?? 0);
  });
  if (piece.group) load.groups.set(piece.group, (load.groups.get(piece.group) ?? 0) + 1);
  load.guests.push({ piece, pools });
}

const reaches = (bin: Bin, p: Piece) => p.networks.every((n) => bin.networks.includes(n));

/** The pool of each disk: of its medium, the one with the most left; undefined where one finds none. */
function poolsFor(load: Load, p: Piece): number[] | undefined {
  if (p.disks.length === 0) return [];
  const left = p.disks.length === 1 ? load.pools : [...load.pools];
  const out: number[] = [];
  for (const d of p.disks) {
    let at = -1;
    for (let i = 0; i < left.length; i++)
      if (
        (!d.media || load.bin.pools[i]?.media === d.media) &&
        (left[i] as number) >= d.sizeGB &&
        (at < 0 || (left[i] as number) > (left[at] as number))
      )
        at = i;
    if (at < 0) return undefined;
    if (left !== load.pools) left[at] = (left[at] as number) - d.sizeGB;
    out.push(at);
  }
  return out;
}

function whyNot(loads: readonly Load[], p: Piece, share: number): string {
  if (!loads.length) return 'there is no hypervisor';
  const on = loads.filter((l) => reaches(l.bin, p));
  if (!on.length) return `no hypervisor has ${p.networks.join(' and ')}`;
  const mem = on.filter((l) => l.mem + p.memoryGiB <= l.memRoom * share);
  const most = Math.max(...on.map((l) => Math.floor(l.memRoom - l.mem)));
  const kept = share < 1 ? ', with room kept for one failure' : '';
  if (!mem.length) return `${p.memoryGiB} GiB of memory asked; the most left on one hypervisor is ${most} GiB${kept}`;
  const cpu = mem.filter((l) => l.cpu + p.vcpu <= l.cpuRoom * share);
  if (!cpu.length)
    return `${p.vcpu} vCPU asked; the most left on one with memory for it is ${Math.floor(Math.max(...mem.map((l) => l.cpuRoom - l.cpu)))}${kept}`;
  const disk = cpu.filter((l) => poolsFor(l, p));
  if (!disk.length)
    return `no pool has ${p.disks.map((d) => `${d.sizeGB} GB${d.media ? ` ${d.media}` : ''}`).join(' and ')} left`;
  return `one of the group ${p.group} stands on each hypervisor with room`;
}

/**
 * What happens when each hypervisor in turn fails: its guests, largest first, onto what the others have left. With
 * `onlyFirst` it ends at the first that strands somebody, and only that one is told.
 */
function lossesOf(loads: readonly Load[], onlyFirst = false): Loss[] {
  const out: Loss[] = [];
  for (const lost of loads) {
    if (!lost.guests.length) continue;
    // Only what takes somebody in is copied: most of a hundred stay as they are.
    const rest = loads.filter((l) => l !== lost);
    const own = new Set<Load>();
    const stranded: string[] = [];
    const crowded: string[] = [];
    const sorted = [...lost.guests].sort(
      (a, b) => b.piece.memoryGiB - a.piece.memoryGiB || (a.piece.name < b.piece.name ? -1 : 1),
    );
    for (const { piece: p } of sorted) {
      let best = -1;
      let apart = false;
      let room = -1;
      for (let i = 0; i < rest.length; i++) {
        const l = rest[i] as Load;
        const left = l.memRoom - l.mem;
        if (left < p.memoryGiB || l.cpu + p.vcpu > l.cpuRoom) continue;
        const alone = !p.group || !l.groups.has(p.group);
        if (best >= 0 && (apart !== alone ? apart : left <= room)) continue;
        if (!reaches(l.bin, p) || !poolsFor(l, p)) continue;
        best = i;
        apart = alone;
        room = left;
      }
      if (best < 0) {
        stranded.push(p.name);
        continue;
      }
      if (!apart) crowded.push(p.name);
      let into = rest[best] as Load;
      if (!own.has(into)) {
        into = { ...into, pools: [...into.pools], groups: new Map(into.groups), guests: [] };
        rest[best] = into;
        own.add(into);
      }
      put(into, p, poolsFor(into, p) as number[]);
    }
    if (onlyFirst && !stranded.length) continue;
    out.push({
      hypervisor: lost.bin.name,
      guests: lost.guests.length,
      stranded,
      crowded,
      memoryLeftGiB: round(rest.reduce((s, l) => s + l.memRoom - l.mem, 0)),
    });
    if (onlyFirst) break;
  }
  return out;
}

/**
 * A number of hypervisors that no packing can go below: by memory, by processor, and by the largest group, each held
 * against the largest hypervisors there are.
 */
export function leastBins(bins: readonly Bin[], pieces: readonly Piece[]): number {
  const need = (asked: number, room: (b: Bin) => number) => {
    if (asked <= 0) return 0;
    const sizes = bins.map(room).sort((a, b) => b - a);
    let sum = 0;
    for (let n = 0; n < sizes.length; n++) {
      sum += sizes[n] as number;
      if (sum >= asked) return n + 1;
    }
    return sizes.length;
  };
  const groups = new Map<string, number>();
  for (const p of pieces) if (p.group) groups.set(p.group, (groups.get(p.group) ?? 0) + 1);
  return Math.max(
    need(
      pieces.reduce((s, p) => s + p.memoryGiB, 0),
      (b) => b.memoryGiB,
    ),
    need(
      pieces.reduce((s, p) => s + p.vcpu, 0),
      cpuOf,
    ),
    Math.min(bins.length, Math.max(0, ...groups.values())),
  );
}

function result(bins: readonly Bin[], loads: readonly Load[], unplaced: Packing['unplaced'], atLeast: number): Packing {
  const byName = new Map(loads.map((l) => [l.bin.name, l]));
  const used = loads.filter((l) => l.guests.length > 0).length;
  return {
    placed: loads.flatMap((l) =>
      l.guests.map((g) => ({
        guest: g.piece.name,
        hypervisor: l.bin.name,
        pools: g.pools.map((i) => l.bin.pools[i]?.name ?? ''),
      })),
    ),
    unplaced,
    left: bins.map((b) => {
      const l = byName.get(b.name) ?? emptyLoad(b);
      return {
        hypervisor: b.name,
        guests: l.guests.length,
        vcpu: round(l.cpuRoom - l.cpu),
        memoryGiB: round(l.memRoom - l.mem),
        diskGB: round(l.pools.reduce((s, n) => s + n, 0)),
      };
    }),
    losses: lossesOf(everyLoad(bins, loads)),
    bound: {
      used,
      atLeast,
      text: unplaced.length
        ? `${unplaced.length} of the guests found no place`
        : `${used} hypervisors used; no packing uses fewer than ${atLeast}`,
    },
  };
}

const round = (n: number) => Math.round(n * 10) / 10;
