import type { EntityManager } from 'typeorm';

interface Kept<T> {
  version: string;
  value: T;
}

/** Deep, so that who changes it fails at once. */
function frozen<T>(value: T): T {
  if (typeof value !== 'object' || value === null || Object.isFrozen(value)) return value;
  for (const v of Object.values(value)) frozen(v);
  return Object.freeze(value);
}

/**
 * Rows of a table as they were last read. A row that nobody wrote since is not read, parsed or held in memory a second time, and its
 * value is the same object as before: what is computed from it can be kept as well. Nobody may change what is answered.
 *
 * A version is the row's `xmin` and `ctid` (PostgreSQL, system columns): no two versions of a row that anybody else can see have both
 * in common. A transaction that wrote itself may use what is kept, and must not add to it.
 */
export class KeptRows<T> {
  private kept = new Map<string, Kept<T>>();

  /** @param table its name; @param id an expression that tells its rows apart; @param value the column that is answered; @param version of a view: that of all rows behind one of its */
  constructor(
    private readonly table: string,
    private readonly id: string,
    private readonly value: string,
    private readonly version = "xmin::text || ' ' || ctid::text",
  ) {}

  /**
   * All rows in the order of `id`, read in the snapshot of `m`.
   *
   * @param keep whether what was read is kept: not what a transaction reads that wrote itself, since it may be given up
   */
  async read(m: EntityManager, keep = true): Promise<[id: string, value: T][]> {
    const before = this.kept;
    const rows = (await m.query(`select ${this.id} as id, ${this.version} as version from ${this.table} order by 1`)) as {
      id: string;
      version: string;
    }[];
    const changed = rows.filter((r) => before.get(r.id)?.version !== r.version).map((r) => r.id);
    const fresh = new Map<string, T>();
    if (changed.length) {
      const all = changed.length === rows.length;
      const read = (await m.query(
        `select ${this.id} as id, ${this.value} as value from ${this.table}${all ? '' : ` where ${this.id} = any($1)`}`,
        all ? [] : [changed],
      )) as { id: string; value: T }[];
      for (const r of read) fresh.set(r.id, frozen(r.value));
    }
    const now = new Map(
      rows.map((r): [string, Kept<T>] => [
        r.id,
        { version: r.version, value: fresh.has(r.id) ? (fresh.get(r.id) as T) : (before.get(r.id) as Kept<T>).value },
      ]),
    );
    if (keep) this.kept = now;
    return [...now].map(([id, k]) => [id, k.value]);
  }
}
