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

/**
 * Values by prefix, of both versions of IP, found by the longest prefix that an address lies in (RFC 4632 §3.1): a binary trie in which ways without a fork are one step
 * (Morrison 1968). Putting in and finding take as many steps as prefixes lie in one another, and the logarithm of how many there are.
 */
export class PrefixTrie<T> {
  private readonly roots: Partial<Record<4 | 6, Node<T>>> = {};
  private count = 0;

  /** How many prefixes it has. */
  get size(): number {
    return this.count;
  }

  /** Puts a value at a prefix, in place of the one before. */
  set(prefix: Prefix, value: T): this {
    const of = words(prefix);
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
