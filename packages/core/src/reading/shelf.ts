/** Values by their key, with the groups that somebody asked for. Groups and lists are in the order of the keys, whatever the order of arrival. */
export class Shelf<T> {
  private readonly values = new Map<string, T>();
  private readonly groups = new Map<string, Group<T>>();
  private sorted: readonly T[] | undefined;

  constructor(
    /** The name under which readings of it are recorded. */
    readonly name: string,
    /** What groups there can be: for each, the values of the group that a document is in. */
    private readonly makers: Readonly<Record<string, (value: T) => readonly string[]>> = {},
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

  /** Puts, replaces or (with undefined) takes away a value. @returns the readings that are no longer what they were */
  set(key: string, value: T | undefined, changed: Set<string>): void {
    const before = this.values.get(key);
    if (before === value) return;
    if (value === undefined) this.values.delete(key);
    else this.values.set(key, value);
    this.sorted = undefined;
    changed.add(`${this.name} ${key}`).add(`${this.name} *`);
    if ((before === undefined) !== (value === undefined)) changed.add(`${this.name} keys`);
    for (const g of this.groups.values()) g.replace(key, before, value, changed);
  }

  private group(name: string): Group<T> {
    let g = this.groups.get(name);
    if (!g) {
      const maker = this.makers[name];
      if (!maker) throw new Error(`${this.name} has no groups by ${name}`);
      g = new Group(`${this.name}/${name}`, maker);
      for (const [key, value] of this.values) g.add(key, value);
      this.groups.set(name, g);
    }
    return g;
  }
}

class Group<T> {
  private readonly members = new Map<string, Map<string, T>>();
  private readonly lists = new Map<string, readonly T[]>();
  constructor(
    private readonly name: string,
    private readonly maker: (value: T) => readonly string[],
  ) {}

  readonly shared = new Set<string>();
  keys = () => this.members.keys();
  list(of: string): readonly T[] {
    let list = this.lists.get(of);
    if (!list) {
      const m = this.members.get(of);
      list = m ? [...m.keys()].sort().map((k) => m.get(k) as T) : [];
      if (m) this.lists.set(of, list);
    }
    return list;
  }
  add(key: string, value: T): void {
    for (const of of this.maker(value)) {
      const m = this.members.get(of);
      if (m) m.set(key, value);
      else this.members.set(of, new Map([[key, value]]));
      if (m && m.size > 1) this.shared.add(of);
      this.lists.delete(of);
    }
  }
  replace(key: string, before: T | undefined, value: T | undefined, changed: Set<string>): void {
    const touched = new Set<string>();
    if (before !== undefined)
      for (const of of this.maker(before)) {
        touched.add(of);
        const m = this.members.get(of);
        m?.delete(key);
        if (m && m.size < 2) this.shared.delete(of);
        if (m && !m.size) {
          this.members.delete(of);
          changed.add(`${this.name} keys`);
        }
        this.lists.delete(of);
      }
    if (value !== undefined) {
      for (const of of this.maker(value)) {
        touched.add(of);
        if (!this.members.has(of)) changed.add(`${this.name} keys`);
      }
      this.add(key, value);
    }
    for (const of of touched) changed.add(`${this.name} ${of}`);
  }
}
