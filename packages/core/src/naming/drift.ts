import type { ServedRecord } from '../model/documents.ts';

export interface Drift {
  /** Planned, not served. */
  add: ServedRecord[];
  /** Served under a planned name and type, with another value. */
  change: { name: string; type: string; ttl: number; planned: string[]; served: string[] }[];
  /** Sent by us earlier, planned no longer. */
  remove: ServedRecord[];
  /** On the server and never ours: left alone. */
  foreign: ServedRecord[];
  same: number;
}

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
    if (!have.length) out.add.push(...want);
    else if (wanted.join('\n') === found.join('\n')) out.same += want.length;
    else
      out.change.push({
        name: want[0]?.name ?? '',
        type: want[0]?.type ?? '',
        ttl: want[0]?.ttl ?? 0,
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
export type UpdateStep =
  | { do: 'add'; record: ServedRecord }
  | { do: 'delete-set'; name: string; type: string }
  | { do: 'delete'; record: ServedRecord };

/** The smallest update that takes the served zone to the plan; foreign records are not touched. */
export function updateFor(d: Drift): UpdateStep[] {
  return [
    ...d.remove.map((record): UpdateStep => ({ do: 'delete', record })),
    ...d.change.flatMap((c): UpdateStep[] => [
      { do: 'delete-set', name: c.name, type: c.type },
      ...c.planned.map((value): UpdateStep => ({ do: 'add', record: { name: c.name, type: c.type, ttl: c.ttl, value } })),
    ]),
    ...d.add.map((record): UpdateStep => ({ do: 'add', record })),
  ];
}
