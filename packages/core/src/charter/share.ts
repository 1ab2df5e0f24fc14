/**
 * How many places of some pools can be filled from hosts that are still free, whoever gets which. Hosts that fit the same pools are as good
 * as each other, so that what is computed is the greatest flow (Ford and Fulkerson) between a few kinds of hosts and a few pools.
 */
export class Shares {
  private readonly free = new Map<number, number>();
  private readonly kindOf: ReadonlyMap<string, number>;

  /** @param fits for each pool the hosts that could be in it @param wants for each pool how many it asks for */
  constructor(
    fits: readonly (readonly { name: string }[])[],
    private readonly wants: number[],
  ) {
    const kinds = new Map<string, number>();
    fits.forEach((hosts, pool) => {
      for (const h of hosts) kinds.set(h.name, (kinds.get(h.name) ?? 0) | (1 << pool));
    });
    this.kindOf = kinds;
    for (const kind of kinds.values()) this.free.set(kind, (this.free.get(kind) ?? 0) + 1);
  }

  /** A host was given to a pool. */
  take(host: string, pool: number): void {
    this.move(this.kindOf.get(host) ?? 0, pool, -1);
  }
  giveBack(host: string, pool: number): void {
    this.move(this.kindOf.get(host) ?? 0, pool, 1);
  }
  private move(kind: number, pool: number, by: 1 | -1) {
    this.free.set(kind, (this.free.get(kind) ?? 0) + by);
    this.wants[pool] = (this.wants[pool] ?? 0) + by;
  }

  /** Whether a host of its kind can be given to the pool without another pool lacking one for it in the end. */
  harmless(pool: number): (host: string) => boolean {
    const most = this.reach();
    const known = new Map<number, boolean>();
    return (host) => {
      const kind = this.kindOf.get(host) ?? 0;
      let good = known.get(kind);
      if (good === undefined) {
        this.move(kind, pool, -1);
        good = this.reach() + 1 === most;
        this.move(kind, pool, 1);
        known.set(kind, good);
      }
      return good;
    };
  }

  /** The most places that can be filled. */
  reach(): number {
    const kinds = [...this.free].filter(([, n]) => n > 0);
    const left = kinds.map(([, n]) => n);
    const given = kinds.map(() => this.wants.map(() => 0));
    let sum = 0;
    for (let pool = 0; pool < this.wants.length; pool++) {
      let lacks = this.wants[pool] ?? 0;
      while (lacks > 0) {
        const got = this.fill(pool, kinds, left, given, new Set(), lacks);
        if (!got) break;
        lacks -= got;
        sum += got;
      }
    }
    return sum;
  }

  /** Fills places of a pool, at most so many: from what is free, or from what another pool can have in another kind. */
  private fill(
    pool: number,
    kinds: readonly (readonly [number, number])[],
    left: number[],
    given: number[][],
    seen: Set<number>,
    most: number,
  ): number {
    seen.add(pool);
    for (const [i, [kind]] of kinds.entries()) {
      if (!(kind & (1 << pool))) continue;
      const row = given[i] as number[];
      const free = Math.min(left[i] ?? 0, most);
      if (free > 0) {
        left[i] = (left[i] ?? 0) - free;
        row[pool] = (row[pool] ?? 0) + free;
        return free;
      }
    }
    for (const [i, [kind]] of kinds.entries()) {
      if (!(kind & (1 << pool))) continue;
      const row = given[i] as number[];
      for (let other = 0; other < this.wants.length; other++) {
        const has = row[other] ?? 0;
        if (!has || seen.has(other)) continue;
        const moved = this.fill(other, kinds, left, given, seen, Math.min(has, most));
        if (!moved) continue;
        // What it was given anew may be of this kind too.
        row[other] = (row[other] ?? 0) - moved;
        row[pool] = (row[pool] ?? 0) + moved;
        return moved;
      }
    }
    return 0;
  }
}
