/**
 * Disjoint runs of integers, none touching another, in a treap: a search tree by start that is a heap by a
 * pseudo-random priority, so that it stays shallow whatever is put in (Seidel and Aragon, 1996). Every node knows
 * the widest run below it, so that a run of a given width is found without looking at those that are too narrow.
 */
interface Node {
  first: bigint;
  last: bigint;
  widest: bigint;
  priority: number;
  left: Node | undefined;
  right: Node | undefined;
}

export class RunTree {
  private root: Node | undefined;
  private total = 0n;
  /** Priorities come from a counter (xorshift, Marsaglia 2003): the same acts always give the same tree. */
  private seed = 2463534242;

  /** Runs in order, none touching another. They are built into a level tree at once. */
  constructor(runs: readonly (readonly [bigint, bigint])[]) {
    const build = (from: number, to: number, ceiling: number): Node | undefined => {
      if (from > to) return undefined;
      const middle = (from + to) >> 1;
      const [first, last] = runs[middle] as readonly [bigint, bigint];
      const n = this.node(first, last);
      // Below its parent, as a heap asks; later runs take their priorities from the same range.
      n.priority = Math.floor(ceiling - (Math.abs(n.priority) % 2 ** 25));
      this.total += last - first + 1n;
      n.left = build(from, middle - 1, n.priority);
      n.right = build(middle + 1, to, n.priority);
      return renew(n);
    };
    this.root = build(0, runs.length - 1, 2 ** 31);
  }

  /** How many integers the runs hold. */
  get size(): bigint {
    return this.total;
  }

  has(n: bigint): boolean {
    const run = this.at(n);
    return run !== undefined && run.last >= n;
  }

  /** Adds a run; what it touches or overlaps becomes one with it. */
  add(first: bigint, last: bigint): void {
    if (first > last) return;
    // Runs that end before the new one, and those that begin behind it; what is between is swallowed.
    let [before, behind] = split(this.root, first);
    const near = before && rightmost(before);
    if (near && near.last >= first - 1n) {
      [before] = split(before, near.first);
      first = near.first;
      if (near.last > last) last = near.last;
      this.total -= near.last - near.first + 1n;
    }
    const [inside, rest] = split(behind, last + 2n);
    const far = inside && rightmost(inside);
    if (far && far.last > last) last = far.last;
    this.total -= sizeOf(inside);
    this.total += last - first + 1n;
    this.root = merge(merge(before, this.node(first, last)), rest);
  }

  /** Removes a run; runs that reach over its ends are cut. */
  remove(first: bigint, last: bigint): void {
    if (first > last) return;
    let [before, behind] = split(this.root, first);
    const near = before && rightmost(before);
    let tail: Node | undefined;
    if (near && near.last >= first) {
      [before] = split(before, near.first);
      this.total -= near.last - near.first + 1n;
      before = this.joined(before, near.first, first - 1n);
      if (near.last > last) {
        this.total += near.last - last;
        tail = this.node(last + 1n, near.last);
      }
    }
    const [inside, rest] = split(behind, last + 1n);
    const far = inside && rightmost(inside);
    this.total -= sizeOf(inside);
    if (far && far.last > last) {
      this.total += far.last - last;
      tail = this.node(last + 1n, far.last);
    }
    this.root = merge(merge(before, tail), rest);
  }

  /** The lowest start of `count` integers in a row from a multiple of `align`, between `from` and `to`. */
  block(count: bigint, align: bigint, from: bigint, to: bigint): bigint | undefined {
    const fits = (a: bigint, b: bigint): bigint | undefined => {
      const low = a > from ? a : from;
      const start = ((low + align - 1n) / align) * align;
      const end = start + count - 1n;
      return end <= b && end <= to ? start : undefined;
    };
    // The run that reaches over `from` begins before it, and is looked at first.
    const over = this.at(from);
    const here = over && fits(over.first, over.last);
    if (here !== undefined) return here;
    const search = (n: Node | undefined): bigint | undefined => {
      if (!n || n.widest < count || from > to) return undefined;
      if (n.first > to) return search(n.left);
      if (n.first >= from) {
        const low = search(n.left);
        if (low !== undefined) return low;
        const own = n.last - n.first + 1n >= count ? fits(n.first, n.last) : undefined;
        if (own !== undefined) return own;
      }
      return search(n.right);
    };
    return search(this.root);
  }

  /** The highest integer of a run between `from` and `to`. */
  highest(from: bigint, to: bigint): bigint | undefined {
    const run = this.at(to);
    if (!run) return undefined;
    const n = run.last < to ? run.last : to;
    return n >= from ? n : undefined;
  }

  /** The widest run, cut to `from` and `to`; the lowest of several. */
  widest(from: bigint, to: bigint): { first: bigint; last: bigint } | undefined {
    let best: { first: bigint; last: bigint } | undefined;
    const width = () => (best ? best.last - best.first + 1n : 0n);
    const look = (n: Node | undefined): void => {
      if (!n || n.widest <= width()) return;
      if (n.first > from) look(n.left);
      const first = n.first > from ? n.first : from;
      const last = n.last < to ? n.last : to;
      if (last - first + 1n > width()) best = { first, last };
      if (n.first <= to) look(n.right);
    };
    look(this.root);
    return best;
  }

  runs(): [bigint, bigint][] {
    const out: [bigint, bigint][] = [];
    const walk = (n: Node | undefined): void => {
      if (!n) return;
      walk(n.left);
      out.push([n.first, n.last]);
      walk(n.right);
    };
    walk(this.root);
    return out;
  }

  /** The run with the highest start that is not above `n`. */
  private at(n: bigint): Node | undefined {
    let node = this.root;
    let found: Node | undefined;
    while (node)
      if (node.first <= n) {
        found = node;
        node = node.right;
      } else node = node.left;
    return found;
  }

  private joined(tree: Node | undefined, first: bigint, last: bigint): Node | undefined {
    if (first > last) return tree;
    this.total += last - first + 1n;
    return merge(tree, this.node(first, last));
  }

  private node(first: bigint, last: bigint): Node {
    let x = this.seed;
    x ^= x << 13;
    x ^= x >>> 17;
    x ^= x << 5;
    this.seed = x;
    return { first, last, widest: last - first + 1n, priority: x, left: undefined, right: undefined };
  }
}

function renew(n: Node): Node {
  let widest = n.last - n.first + 1n;
  if (n.left && n.left.widest > widest) widest = n.left.widest;
  if (n.right && n.right.widest > widest) widest = n.right.widest;
  n.widest = widest;
  return n;
}

/** Those that start below `key`, and the others. */
function split(n: Node | undefined, key: bigint): [Node | undefined, Node | undefined] {
  if (!n) return [undefined, undefined];
  if (n.first < key) {
    const [low, high] = split(n.right, key);
    n.right = low;
    return [renew(n), high];
  }
  const [low, high] = split(n.left, key);
  n.left = high;
  return [low, renew(n)];
}

/** One tree of two, all of the first below all of the second. */
function merge(a: Node | undefined, b: Node | undefined): Node | undefined {
  if (!a || !b) return a ?? b;
  if (a.priority > b.priority) {
    a.right = merge(a.right, b);
    return renew(a);
  }
  b.left = merge(a, b.left);
  return renew(b);
}

function rightmost(n: Node): Node {
  let at = n;
  while (at.right) at = at.right;
  return at;
}

function sizeOf(n: Node | undefined): bigint {
  return n ? n.last - n.first + 1n + sizeOf(n.left) + sizeOf(n.right) : 0n;
}
