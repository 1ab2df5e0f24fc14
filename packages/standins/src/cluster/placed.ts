/** Where a pod of a Deployment was put. It stays there until it is evicted, or its node is gone. */
export interface Place {
  node: string;
  since: number;
  /** How often it was put somewhere: each time it is another pod, with another name. */
  times: number;
}

/** What the scheduler has decided: pods do not move because a node came that would suit them better. */
export class Placed {
  private readonly places = new Map<string, Place>();
  /** Volumes by the claims that have them: a claim keeps its volume. */
  readonly bound = new Map<string, string>();

  /**
   * The place of a pod: the one that it has, or else the node with the fewest pods among those that fit; undefined: none fits.
   * @param holds whether a node still has what was put on it
   * @param load how many pods each node has so far
   * @param since from when a new place counts, by the wall clock: its node may have been lost before anybody asked
   */
  of(
    key: string,
    fits: readonly string[],
    holds: (node: string) => boolean,
    load: ReadonlyMap<string, number>,
    since: (left: string | undefined) => number = () => Date.now(),
  ): Place | undefined {
    const has = this.places.get(key);
    if (has && has.node !== '' && holds(has.node)) return has;
    const node = [...fits].sort((a, b) => (load.get(a) ?? 0) - (load.get(b) ?? 0))[0];
    if (node === undefined) return undefined;
    const place = { node, since: since(has?.node || undefined), times: (has?.times ?? 0) + 1 };
    this.places.set(key, place);
    return place;
  }
  /** Evicted: what is made in its place is put where it fits then. */
  release(key: string): void {
    const has = this.places.get(key);
    if (has) this.places.set(key, { ...has, node: '' });
  }
}
