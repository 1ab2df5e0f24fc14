/** Values by their key, with the groups that somebody asked for. Groups and lists are in the order of the keys, whatever the order of arrival. */
export class Shelf<T> {
  private readonly values = new Map<string, T>();
  private readonly groups = new Map<string, Group<T>>();
  private sorted: readonly T[] | undefined;

  constructor(
    /** The name under which readings of it are recorded. */
    readonly name: string,
    /** What groups there can be: for each, the values of the group that a document is in. */
    private readonly makers: Readonly<Record<string, (value: T) => Groups>> = {},
    /** The key of a value that can be in a group. */
    private readonly keyOf: (value: T) => string = () => '',
  ) {}

  get(key: string): T | undefined {
    return this.values.get(key);
  }
  get size(): number {
    return this.values.size;
  }
  keys(): IterableIterator<string> {
    return this.values.keys();
  }
  all(): readonly T[] {
    this.sorted ??= [...this.values.keys()].sort().map((k) => this.values.get(k) as T);
    return this.sorted;
  }
  in(group: string, of: string): readonly T[] {
    return this.group(group).list(of);
  }
  groupKeys(group: string): IterableIterator<string> {
    return this.group(group).keys();
  }

  /** Groups that have more than one member. */
  shared(group: string): ReadonlySet<string> {
    return this.group(group).shared;
  }

  /** Puts, replaces or (with undefined) takes away a value. `changed` is given the readings that are no longer what they were. */
  set(key: string, value: T | undefined, changed?: Set<string>): void {
    const before = this.values.get(key);
    if (before === value) return;
    if (value === undefined) this.values.delete(key);
    else this.values.set(key, value);
    this.sorted = undefined;
    if (changed) {
      changed.add(`${this.name} ${key}`).add(`${this.name} *`);
      if ((before === undefined) !== (value === undefined)) changed.add(`${this.name} keys`);
    }
    for (const g of this.groups.values()) g.replace(before, value, changed ?? new Set());
  }

  private group(name: string): Group<T> {
    let g = this.groups.get(name);
    if (!g) {
      const maker = this.makers[name];
      if (!maker) throw new Error(`${this.name} has no groups by ${name}`);
      g = new Group(`${this.name}/${name}`, maker, this.keyOf);
      for (const value of this.values.values()) g.add(value);
      this.groups.set(name, g);
    }
    return g;
  }
}

/** The groups that a value is in: none, one or several. */
export type Groups = string | undefined | readonly string[];
const each = (groups: Groups): readonly string[] =>
  groups === undefined ? none : typeof groups === 'string' ? [groups] : groups;

/** Values by what they have in common. Most groups of most kinds have one member: that is kept as it is, without a list. */
class Group<T> {
  private readonly members = new Map<string, T | T[]>();
  /** Groups of which the list is in the order of the keys. */
  private readonly ordered = new Set<string>();
  /** Groups with more than one member. */
  readonly shared = new Set<string>();
  constructor(
    private readonly name: string,
    private readonly maker: (value: T) => Groups,
    private readonly keyOf: (value: T) => string,
  ) {}

  keys = () => this.members.keys();
  list(of: string): readonly T[] {
    const list = this.members.get(of);
    if (list === undefined) return none;
    if (!Array.isArray(list)) return [list];
    if (list.length < 2 || this.ordered.has(of)) return list;
    this.ordered.add(of);
    let before = '';
    let inOrder = true;
    for (const v of list) {
      const key = this.keyOf(v);
      if (key < before) inOrder = false;
      before = key;
    }
    if (inOrder) return list;
    const sorted = list.map((v) => [this.keyOf(v), v] as const).sort(([a], [b]) => (a < b ? -1 : 1));
    const now = sorted.map(([, v]) => v);
    this.members.set(of, now);
    return now;
  }
  add(value: T): void {
    const groups = this.maker(value);
    if (groups === undefined) return;
    if (typeof groups === 'string') this.put(groups, value);
    else for (const of of groups) this.put(of, value);
  }
  private put(of: string, value: T): void {
    const list = this.members.get(of);
    if (list === undefined) {
      this.members.set(of, value);
      return;
    }
    // A list that was handed out stays as it was.
    if (!Array.isArray(list)) this.members.set(of, [list, value]);
    else if (this.ordered.delete(of)) this.members.set(of, [...list, value]);
    else list.push(value);
    this.shared.add(of);
  }
  replace(before: T | undefined, value: T | undefined, changed: Set<string>): void {
    const touched = new Set<string>();
    if (before !== undefined)
      for (const of of each(this.maker(before))) {
        touched.add(of);
        const left = [this.members.get(of) ?? []].flat().filter((v) => v !== before) as T[];
        if (left.length < 2) this.shared.delete(of);
        if (left.length) this.members.set(of, left);
        else {
          this.members.delete(of);
          changed.add(`${this.name} keys`);
        }
        this.ordered.delete(of);
      }
    if (value !== undefined) {
      for (const of of each(this.maker(value))) {
        touched.add(of);
        const list = this.members.get(of);
        if (list === undefined) changed.add(`${this.name} keys`);
        // As above: what somebody has read is not changed under them.
        else if (Array.isArray(list)) this.members.set(of, [...list]);
      }
      this.add(value);
    }
    for (const of of touched) changed.add(`${this.name} ${of}`);
  }
}
const none: readonly never[] = [];
