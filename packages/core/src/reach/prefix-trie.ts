import { type Address, bits, type Prefix } from '../address/parse.ts';

/** Bits of an address as unsigned words of 32, the first ones first: numbers, since shifting integers of 128 bits takes a hundred times as long. */
type Words = readonly [number, number, number, number];
/** Everything of a node lies in one object: what is walked through is read from memory once a step. */
interface Node<T> {
  w0: number;
  w1: number;
  w2: number;
  w3: number;
  /** How many bits of them count. */
  length: number;
  /** The prefix that was put in here, with its value; undefined: the ways part here, and nothing was. */
  entry: Entry<T> | undefined;
  /** By the bit behind its length. */
  zero: Node<T> | undefined;
  one: Node<T> | undefined;
}
export interface Entry<T> {
  prefix: Prefix;
  value: T;
}

const words = ({ v, n }: Address): Words =>
  v === 4
    ? [Number(n), 0, 0, 0]
    : [
        Number((n >> 96n) & 0xffffffffn),
        Number((n >> 64n) & 0xffffffffn),
        Number((n >> 32n) & 0xffffffffn),
        Number(n & 0xffffffffn),
      ];
const bitAt = (w: Words, at: number): 0 | 1 => (((w[at >>> 5] as number) >>> (31 - (at & 31))) & 1) as 0 | 1;
const wordsOf = (n: Node<unknown>): Words => [n.w0, n.w1, n.w2, n.w3];

/** Whether the first bits of an address are all those of a node. */
function lies(w: Words, n: Node<unknown>): boolean {
  const { length } = n;
  if (length <= 32) return length === 0 || (w[0] ^ n.w0) >>> (32 - length) === 0;
  if (w[0] !== n.w0) return false;
  if (length <= 64) return (w[1] ^ n.w1) >>> (64 - length) === 0;
  if (w[1] !== n.w1) return false;
  if (length <= 96) return (w[2] ^ n.w2) >>> (96 - length) === 0;
  return w[2] === n.w2 && (w[3] ^ n.w3) >>> (128 - length) === 0;
}
/** How many bits two addresses have in common at their beginning, at most `most`. */
function common(a: Words, b: Words, most: number): number {
  for (let i = 0; i << 5 < most; i++) {
    const other = ((a[i] as number) ^ (b[i] as number)) >>> 0;
    if (other) return Math.min(most, (i << 5) + Math.clz32(other));
  }
  return most;
}

/** How many bits are stepped over at once, and from how many prefixes on that is worth it. */
const stride = 16;
const many = 512;
/** Where a walk begins that steps over the first bits behind those that all prefixes share: by these bits, the node to go on at, and the longest prefix passed on the way. */
interface Jump<T> {
  root: Node<T>;
  width: number;
  nodes: (Node<T> | undefined)[];
  best: (Entry<T> | undefined)[];
}
/** So many bits of an address from one on, as a number. */
const bitsFrom = (w: Words, at: number, width: number): number => {
  const [word, shift] = [at >>> 5, at & 31];
  const first = (w[word] as number) << shift;
  return (shift && word < 3 ? first | ((w[word + 1] as number) >>> (32 - shift)) : first) >>> (32 - width);
};
function jumpOf<T>(root: Node<T>, all: number): Jump<T> {
  const width = Math.min(stride, all - root.length);
  const nodes = new Array<Node<T> | undefined>(2 ** width).fill(undefined);
  const best = new Array<Entry<T> | undefined>(2 ** width).fill(undefined);
  const see = (n: Node<T> | undefined, passed: Entry<T> | undefined) => {
    if (!n) return;
    const own = n.length - root.length;
    const [first, count] =
      own >= width
        ? [bitsFrom(wordsOf(n), root.length, width), 1]
        : [own && bitsFrom(wordsOf(n), root.length, own) * 2 ** (width - own), 2 ** (width - own)];
    if (own >= width) {
      nodes[first] = n;
      return;
    }
    const now = n.entry ?? passed;
    if (n.entry) best.fill(n.entry, first, first + count);
    see(n.zero, now);
    see(n.one, now);
  };
  see(root, undefined);
  return { root, width, nodes, best };
}

/**
 * Values by prefix, of both versions of IP, found by the longest prefix that an address lies in (RFC 4632 §3.1): a binary trie in which ways without a fork are one step
 * (Morrison 1968). Putting in and finding take as many steps as prefixes lie in one another, and the logarithm of how many there are;
 * where there are many, and they are asked for more often than put in, the first of these steps are one.
 */
export class PrefixTrie<T> {
  private readonly roots: Partial<Record<4 | 6, Node<T>>> = {};
  private count = 0;
  private jumps: Partial<Record<4 | 6, Jump<T>>> = {};
  /** How often it was asked since something was put in. */
  private asked = 0;

  /** How many prefixes it has. */
  get size(): number {
    return this.count;
  }

  /** Puts a value at a prefix, in place of the one before. */
  set(prefix: Prefix, value: T): this {
    const of = words(prefix);
    this.jumps = {};
    this.asked = 0;
    const at = (length: number, entry?: Entry<T>): Node<T> => ({
      w0: of[0],
      w1: of[1],
      w2: of[2],
      w3: of[3],
      length,
      entry,
      zero: undefined,
      one: undefined,
    });
    const leaf = () => at(prefix.length, { prefix, value });
    let parent: Node<T> | undefined;
    let side: 0 | 1 = 0;
    let node = this.roots[prefix.v];
    const put = (n: Node<T>) => {
      if (!parent) this.roots[prefix.v] = n;
      else if (side) parent.one = n;
      else parent.zero = n;
    };
    for (;;) {
      if (!node) {
        put(leaf());
        break;
      }
      const same = common(of, wordsOf(node), Math.min(prefix.length, node.length));
      if (same === node.length && same === prefix.length) {
        if (node.entry) this.count--;
        node.entry = { prefix, value };
        break;
      }
      if (same === node.length) {
        parent = node;
        side = bitAt(of, same);
        node = side ? node.one : node.zero;
        continue;
      }
      // The ways part inside of what was one step: either at the new prefix itself, or where both differ.
      const fork = same === prefix.length ? leaf() : at(same);
      if (bitAt(wordsOf(node), same)) fork.one = node;
      else fork.zero = node;
      if (same < prefix.length) {
        if (bitAt(of, same)) fork.one = leaf();
        else fork.zero = leaf();
      }
      put(fork);
      break;
    }
    this.count++;
    return this;
  }

  /** What was put in for exactly this prefix. */
  get(prefix: Prefix): T | undefined {
    const of = words(prefix);
    let found: Entry<T> | undefined;
    this.walk(of, prefix.v, prefix.length, (n) => {
      if (n.length === prefix.length) found = n.entry;
    });
    return found?.value;
  }

  /** The longest prefix that an address lies in; undefined: it lies in none. */
  longest(address: Address): Entry<T> | undefined {
    const of = words(address);
    const all = bits(address.v);
    let found: Entry<T> | undefined;
    let node = this.roots[address.v];
    const jump = this.jumps[address.v];
    if (jump) {
      if (!lies(of, jump.root)) return undefined;
      const at = bitsFrom(of, jump.root.length, jump.width);
      found = jump.best[at];
      node = jump.nodes[at];
    } else if (node && this.count >= many && node.length < all && ++this.asked >= this.count >> 3) {
      this.jumps[address.v] = jumpOf(node, all);
      this.asked = 0;
    }
    while (node && lies(of, node)) {
      if (node.entry) found = node.entry;
      if (node.length === all) break;
      node = bitAt(of, node.length) ? node.one : node.zero;
    }
    return found;
  }

  /** All prefixes that an address lies in, the longest first. */
  over(address: Address): Entry<T>[] {
    const found: Entry<T>[] = [];
    this.walk(words(address), address.v, bits(address.v), (n) => {
      if (n.entry) found.unshift(n.entry);
    });
    return found;
  }

  /** Everything that was put in, by address and then by length. */
  entries(): Entry<T>[] {
    const found: Entry<T>[] = [];
    const see = (n: Node<T> | undefined): void => {
      if (!n) return;
      if (n.entry) found.push(n.entry);
      see(n.zero);
      see(n.one);
    };
    see(this.roots[4]);
    see(this.roots[6]);
    return found;
  }

  /** Every node whose bits are those of an address, from the shortest on. */
  private walk(of: Words, v: 4 | 6, length: number, see: (n: Node<T>) => void): void {
    let node = this.roots[v];
    while (node && node.length <= length && lies(of, node)) {
      see(node);
      if (node.length === length) return;
      node = bitAt(of, node.length) ? node.one : node.zero;
    }
  }
}
