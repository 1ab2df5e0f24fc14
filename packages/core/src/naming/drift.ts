import { z } from 'zod';
import { ServedRecord } from '../model/observed.ts';

export const Drift = z.strictObject({
  /** Planned, not served. */
  add: z.array(ServedRecord),
  /** Served under a planned name and type, with other values or another time. */
  change: z.array(
    z.strictObject({
      name: z.string(),
      type: z.string(),
      ttl: z.number(),
      servedTtl: z.number(),
      planned: z.array(z.string()),
      served: z.array(z.string()),
    }),
  ),
  /** Sent by us earlier, planned no longer. */
  remove: z.array(ServedRecord),
  /** On the server and never ours: left alone. */
  foreign: z.array(ServedRecord),
  same: z.number(),
});
export type Drift = z.infer<typeof Drift>;

export const recordKey = (r: { name: string; type: string; value: string }) => `${r.name} ${r.type} ${r.value}`;
const setKey = (r: { name: string; type: string }) => `${r.name} ${r.type}`;

/**
 * The plan's records of one zone against those served. `ours` holds the keys of records that we sent before,
 * so that what somebody else put there is told from what we left behind. The SOA is not compared.
 */
export function drift(
  planned: readonly ServedRecord[],
  served: readonly ServedRecord[],
  ours: ReadonlySet<string> = new Set(),
): Drift {
  const there = group(served.filter((r) => r.type !== 'SOA'));
  const out: Drift = { add: [], change: [], remove: [], foreign: [], same: 0 };
  for (const [key, want] of group(planned)) {
    const have = there.get(key) ?? [];
    there.delete(key);
    const wanted = want.map((r) => r.value).sort();
    const found = have.map((r) => r.value).sort();
    // A planned record knows where it came from, which is nothing that a server has.
    if (!have.length) out.add.push(...want.map(({ name, type, ttl, value }) => ({ name, type, ttl, value })));
    else if (wanted.join('\n') === found.join('\n') && have[0]?.ttl === want[0]?.ttl) out.same += want.length;
    else
      out.change.push({
        name: want[0]?.name ?? '',
        type: want[0]?.type ?? '',
        ttl: want[0]?.ttl ?? 0,
        servedTtl: have[0]?.ttl ?? 0,
        planned: wanted,
        served: found,
      });
  }
  for (const left of there.values()) for (const r of left) (ours.has(recordKey(r)) ? out.remove : out.foreign).push(r);
  return out;
}

function group(records: readonly ServedRecord[]): Map<string, ServedRecord[]> {
  const map = new Map<string, ServedRecord[]>();
  for (const r of records) {
    const k = setKey(r);
    const list = map.get(k);
    if (list) list.push(r);
    else map.set(k, [r]);
  }
  return map;
}

/** One instruction of a dynamic update (RFC 2136 §2.5). */
export type UpdateStep = { do: 'add' | 'delete'; record: ServedRecord };

/** What must be served for an update to be taken (RFC 2136 §2.4): exactly these values; none of the set when empty. */
export interface Prerequisite {
  name: string;
  type: string;
  values: string[];
}
export interface ZoneUpdate {
  prerequisites: Prerequisite[];
  steps: UpdateStep[];
}

/**
 * The smallest update that takes the served zone to the plan; foreign records are not touched. Its prerequisites
 * are what was read: a set that somebody changed since makes the server refuse the whole, and nothing of theirs is
 * overwritten. What is removed from other sets comes first, so that an alias can take the place of an address;
 * within a set additions come first, so that a zone is never without its last server (RFC 2136 §3.4.2.4).
 */
export function updateFor(d: Drift): ZoneUpdate {
  const prerequisites: Prerequisite[] = [];
  const first: UpdateStep[] = [];
  const then: UpdateStep[] = [];
  for (const [, list] of group(d.remove)) {
    for (const record of list) first.push({ do: 'delete', record });
    // Of a set that is partly foreign only our own records go, and nothing is asked of the others.
    const { name, type } = list[0] as ServedRecord;
    if (!d.foreign.some((f) => f.name === name && f.type === type))
      prerequisites.push({ name, type, values: list.map((r) => r.value) });
  }
  for (const c of d.change) {
    prerequisites.push({ name: c.name, type: c.type, values: c.served });
    const record = (value: string): ServedRecord => ({ name: c.name, type: c.type, ttl: c.ttl, value });
    const other = c.ttl !== c.servedTtl;
    for (const value of c.planned) if (other || !c.served.includes(value)) then.push({ do: 'add', record: record(value) });
    for (const value of c.served) if (!c.planned.includes(value)) then.push({ do: 'delete', record: record(value) });
  }
  for (const [, list] of group(d.add)) {
    const { name, type } = list[0] as ServedRecord;
    prerequisites.push({ name, type, values: [] });
    for (const record of list) then.push({ do: 'add', record });
  }
  return { prerequisites, steps: [...first, ...then] };
}

/** An update in parts of at most `sets` sets each, so that every one fits a message of 64 kB; a set is never divided. */
export function inParts(d: Drift, sets = 150): Drift[] {
  const parts: Drift[] = [];
  const empty = (): Drift => ({ add: [], change: [], remove: [], foreign: d.foreign, same: 0 });
  let part = empty();
  let size = 0;
  const next = (fill: (p: Drift) => void) => {
    if (size === sets) {
      parts.push(part);
      part = empty();
      size = 0;
    }
    fill(part);
    size++;
  };
  for (const [, list] of group(d.remove)) next((p) => p.remove.push(...list));
  for (const c of d.change) next((p) => p.change.push(c));
  for (const [, list] of group(d.add)) next((p) => p.add.push(...list));
  if (size) parts.push(part);
  return parts;
}
