/**
 * Computed values that are kept with what was read for them. Nobody declares what a computation reads: reading is what records it. When
 * something that was read has changed, what was computed from it is computed again where it is asked for, and what comes out as it was
 * before goes no further.
 */

/** Something that can be read: an input, or a value computed from what else was read. */
interface Cell {
  readonly id: string;
  /** Undefined for an input. */
  run?: (() => unknown) | undefined;
  value: unknown;
  /** Number of the change after which it was last different, and at which it was last found to hold. */
  changedAt: number;
  heldAt: number;
  state: 'new' | 'holds' | 'doubtful' | 'stale';
  reads: Cell[];
  readBy: Set<Cell>;
  /** Of what nobody reads, but somebody waits for: told when it may have changed. */
  told: boolean;
}

/** Whether two values say the same: plain data all the way down, anything else by identity. */
export function sameValue(a: unknown, b: unknown): boolean {
  if (Object.is(a, b)) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a)) {
    if (!Array.isArray(b) || a.length !== b.length) return false;
    for (let i = 0; i < a.length; i++) if (!sameValue(a[i], b[i])) return false;
    return true;
  }
  const plain = Object.getPrototypeOf(a);
  if (Object.getPrototypeOf(b) !== plain) return false;
  if (a instanceof Map) {
    const m = b as Map<unknown, unknown>;
    if (a.size !== m.size) return false;
    for (const [k, v] of a) if (!m.has(k) || !sameValue(v, m.get(k))) return false;
    return true;
  }
  if (plain !== Object.prototype && plain !== null) return false;
  const keys = Object.keys(a);
  if (keys.length !== Object.keys(b).length) return false;
  for (const k of keys)
    if (!Object.hasOwn(b, k) || !sameValue((a as Record<string, unknown>)[k], (b as Record<string, unknown>)[k])) return false;
  return true;
}

/** Who keeps computed values: `Cells`, or `Once` where nothing will change. */
export interface Keeper {
  /** Whether it matters what is read. */
  readonly records: boolean;
  read(id: string): void;
  get<T>(id: string, run: () => T): T;
  watch<T>(id: string, run: () => T): T;
  changed(ids: Iterable<string>): void;
  takeDoubtful(): Set<string>;
  drop(id: string): void;
}

const computedFromItself = (way: readonly string[]): Error => new Error(`computed from itself: ${way.join(' ← ')}`);

/** Values of one state, computed once. Nothing is recorded, so that nothing can change: who has another state makes another. */
export class Once implements Keeper {
  readonly records = false;
  private readonly values = new Map<string, unknown>();
  private readonly running = new Set<string>();

  read(): void {}
  get<T>(id: string, run: () => T): T {
    const known = this.values.get(id);
    if (known !== undefined || this.values.has(id)) return known as T;
    if (this.running.has(id)) throw computedFromItself([...[...this.running].slice([...this.running].indexOf(id)), id]);
    this.running.add(id);
    try {
      const value = run();
      this.values.set(id, value);
      return value;
    } finally {
      this.running.delete(id);
    }
  }
  watch<T>(_: string, run: () => T): T {
    return run();
  }
  changed(ids: Iterable<string>): void {
    if (this.values.size && [...ids].length)
      throw new Error('what was computed once is not computed again: a state that changes needs Cells');
  }
  takeDoubtful(): Set<string> {
    return new Set();
  }
  drop(): void {}
}

export class Cells implements Keeper {
  readonly records = true;
  private readonly all = new Map<string, Cell>();
  private readonly running: Cell[] = [];
  private change = 1;
  /** What was told to be doubtful since it was last asked. */
  private doubtful = new Set<string>();

  private cell(id: string): Cell {
    let c = this.all.get(id);
    if (!c) {
      c = { id, value: undefined, changedAt: 0, heldAt: 0, state: 'new', reads: [], readBy: new Set(), told: false };
      this.all.set(id, c);
    }
    return c;
  }

  /** Records that what runs now has read an input. */
  read(id: string): void {
    const reader = this.running.at(-1);
    if (reader) this.link(reader, this.cell(id));
  }

  private link(reader: Cell, read: Cell): void {
    if (read.readBy.has(reader)) return;
    read.readBy.add(reader);
    reader.reads.push(read);
  }

  /** Inputs that are no longer what they were. */
  changed(ids: Iterable<string>): void {
    this.change++;
    for (const id of ids) {
      const input = this.all.get(id);
      if (!input) continue;
      input.changedAt = this.change;
      for (const r of input.readBy) this.doubt(r, 'stale');
    }
  }

  private doubt(c: Cell, state: 'stale' | 'doubtful'): void {
    if (c.state === 'stale' || c.state === 'new' || c.state === state) return;
    const first = c.state === 'holds';
    c.state = state;
    if (!first) return;
    if (c.told) this.doubtful.add(c.id);
    for (const r of c.readBy) this.doubt(r, 'doubtful');
  }

  /**
   * A computed value: as it stands while all that was read for it stands, otherwise computed again.
   * @throws Error where a value is computed from itself, with the way round
   */
  get<T>(id: string, run: () => T): T {
    const c = this.cell(id);
    const reader = this.running.at(-1);
    if (reader) this.link(reader, c);
    this.bring(c, run);
    return c.value as T;
  }

  /** The same, of what is told when it may have changed. */
  watch<T>(id: string, run: () => T): T {
    const c = this.cell(id);
    c.told = true;
    try {
      this.bring(c, run);
    } catch (e) {
      this.doubtful.add(id);
      throw e;
    }
    return c.value as T;
  }

  /** What is watched and may have changed since this was asked last. */
  takeDoubtful(): Set<string> {
    const d = this.doubtful;
    this.doubtful = new Set();
    return d;
  }

  /** Forgets a computed value that nobody asks for any more. */
  drop(id: string): void {
    const c = this.all.get(id);
    if (!c) return;
    for (const r of c.reads) r.readBy.delete(c);
    this.all.delete(id);
    this.doubtful.delete(id);
  }

  private bring(c: Cell, run: () => unknown): void {
    c.run = run;
    if (c.state === 'holds') return;
    if (c.state === 'doubtful') {
      // What it read is asked in the order in which it was read; the first that is different decides.
      const stands = c.reads.every((r) => {
        if (r.run && r.state !== 'holds') this.bring(r, r.run);
        return r.changedAt <= c.heldAt;
      });
      if (stands) {
        c.state = 'holds';
        c.heldAt = this.change;
        return;
      }
    }
    if (this.running.includes(c)) throw computedFromItself([...this.running.slice(this.running.indexOf(c)), c].map((x) => x.id));
    for (const r of c.reads) r.readBy.delete(c);
    c.reads = [];
    this.running.push(c);
    try {
      const value = run();
      if (c.state === 'new' || !sameValue(value, c.value)) {
        c.value = value;
        c.changedAt = this.change;
      }
      c.state = 'holds';
      c.heldAt = this.change;
    } catch (e) {
      c.state = 'stale';
      throw e;
    } finally {
      this.running.pop();
    }
  }

  /** How many values are kept, inputs among them. */
  get size(): number {
    return this.all.size;
  }
}
