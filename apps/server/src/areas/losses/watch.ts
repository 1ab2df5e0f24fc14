import { type Expected, type Interval, looksUntil, minute, second } from '@praesidor/core/rehearse';
import type { ClusterSeen } from '@praesidor/protocols/kube';

/** Ways to look at a cluster while one of its hosts is away. */
export interface Asks {
  /** @throws where the API does not answer */
  seen: () => Promise<ClusterSeen>;
  /** Addresses that are tried, by name: whether somebody takes connections there. */
  addresses: ReadonlyMap<string, () => Promise<boolean>>;
  pause: () => Promise<void>;
  /** By our own clock, in milliseconds. */
  now: () => number;
  heard?: (came: ReadonlyMap<string, Interval>, of: number) => void;
}
/** When hosts lost their power, by the clock of their cluster: not before the one, not after the other. */
export interface Lost {
  hosts: readonly string[];
  from: number;
  to: number;
}
export const keyOf = (e: Pick<Expected, 'what' | 'name'>): string => `${e.what} ${e.name}`;

/** A workload before the loss: how many of its pods were ready. */
export interface Before {
  namespace: string;
  ready: number;
}

/**
 * Looks at a cluster until all that is to come has come, or should have. Times are those of the cluster itself: what its API says of its nodes and pods, and what time it is there. How long an address is away is
 * taken by our own clock, and told in seconds of the cluster, as fast as those go.
 *
 * @param before by workload
 * @returns when what came, after the loss
 */
export async function watched(
  lost: Lost,
  expected: readonly Expected[],
  before: ReadonlyMap<string, Before>,
  asks: Asks,
): Promise<Map<string, Interval>> {
  const came = new Map<string, Interval>();
  const until = looksUntil(expected);
  const since = (stamp: number): Interval => ({ from: Math.max(0, stamp - lost.to), to: stamp + second - lost.from });
  const began = { ours: asks.now(), its: lost.to };
  let latest = began;
  /** How fast clocks go there. */
  const rate = () => (latest.ours > began.ours ? Math.max(1, (latest.its - began.its) / (latest.ours - began.ours)) : 1);
  const looks = new Map(expected.flatMap((e) => (e.what === 'address' ? [[e.name, new Looks(began.ours)] as const] : [])));
  for (;;) {
    const seen = await asks.seen().catch(() => undefined);
    if (seen) latest = { ours: asks.now(), its: seen.at };
    looks.get('API')?.look(seen !== undefined, asks.now());
    for (const [name, answers] of asks.addresses) looks.get(name)?.look(await answers(), asks.now());
    if (seen)
      for (const e of expected) {
        const at =
          e.what === 'counted'
            ? countedAt(seen, lost, e.name)
            : e.what === 'work'
              ? backAt(seen, lost, e.name, before)
              : undefined;
        if (at !== undefined && !came.has(keyOf(e))) came.set(keyOf(e), since(at));
      }
    // Who counts as lost was lost long before: what was not missed until then was not away for longer than from one look to the next.
    const counted = [...came.keys()].some((k) => k.startsWith('counted ')) || latest.its > lost.to + until.never - minute;
    for (const [name, l] of looks) {
      const is = l.away(counted);
      if (is) came.set(keyOf({ what: 'address', name }), { from: is.from * rate(), to: is.to * rate() + second });
    }
    asks.heard?.(came, expected.length);
    const whole = expected.every((e) => came.has(keyOf(e)));
    const late = expected.some((e) => e.is !== undefined && !came.has(keyOf(e)));
    if (whole || (seen && seen.at > lost.to + (late ? until.late : until.never))) return came;
    await asks.pause();
  }
}

/** Since when a host counts as lost. */
function countedAt(seen: ClusterSeen, lost: Lost, name: string): number | undefined {
  const node = seen.nodes.find((n) => n.name === name);
  return node && !node.ready && (node.since ?? 0) >= lost.from ? node.since : undefined;
}
/** Since when a workload has as many ready pods as before, none of them where nothing runs. */
function backAt(seen: ClusterSeen, lost: Lost, name: string, before: ReadonlyMap<string, Before>): number | undefined {
  const had = before.get(name);
  const its = seen.pods.filter(
    (p) => p.work === name && p.namespace === had?.namespace && !lost.hosts.includes(p.host ?? '') && p.ready,
  );
  if (!had || its.length < had.ready) return undefined;
  const last = Math.max(...its.flatMap((p) => p.since ?? []));
  // Stamps are to the second: what was ready before is older.
  return last >= lost.from ? last : undefined;
}

/** Looks at an address, by our own clock. */
class Looks {
  private gap = 0;
  private first: number | undefined;
  private last: number | undefined;
  private again: number | undefined;
  constructor(private good: number) {}

  look(answers: boolean, now: number): void {
    if (this.again !== undefined) return;
    if (!answers) {
      this.first ??= now;
      this.last = now;
    } else if (this.first !== undefined) this.again = now;
    else {
      this.gap = Math.max(this.gap, now - this.good);
      this.good = now;
    }
  }
  /** How long it was away, at least and at most; undefined: that is not known yet. */
  away(settled: boolean): Interval | undefined {
    if (this.again !== undefined) return { from: (this.last ?? 0) - (this.first ?? 0), to: this.again - this.good };
    return settled && this.first === undefined ? { from: 0, to: this.gap } : undefined;
  }
}
