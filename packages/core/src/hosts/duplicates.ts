import type { Host } from '../model/documents.ts';

/** Entries that are one machine, and by what it shows. */
export interface Duplicate {
  hosts: string[];
  by: { mark: 'serial' | 'MAC' | 'BMC'; value: string }[];
}

const marksOf = (h: Host): Duplicate['by'] => [
  ...(h.facts?.serial ? [{ mark: 'serial' as const, value: h.facts.serial }] : []),
  ...(h.bmc ? [{ mark: 'BMC' as const, value: h.bmc.address }] : []),
  ...(h.facts?.nics ?? []).map((n) => ({ mark: 'MAC' as const, value: n.mac })),
];

/** Groups of entries that share a serial, a MAC or the address of a controller, each group once. */
export function duplicates(hosts: readonly Host[]): Duplicate[] {
  const owner = hosts.map((_, i) => i);
  const root = (i: number): number => {
    let r = i;
    while (owner[r] !== r) r = owner[r] as number;
    owner[i] = r;
    return r;
  };
  const first = new Map<string, number>();
  const shared: { i: number; by: Duplicate['by'][number] }[] = [];
  hosts.forEach((h, i) => {
    if (h.state === 'retired') return;
    for (const by of marksOf(h)) {
      const key = `${by.mark} ${by.value}`;
      const at = first.get(key);
      if (at === undefined) first.set(key, i);
      else if (at !== i) {
        owner[root(i)] = root(at);
        shared.push({ i, by });
      }
    }
  });
  const groups = new Map<number, Duplicate>();
  for (const { i, by } of shared) {
    const r = root(i);
    let g = groups.get(r);
    if (!g) {
      g = { hosts: hosts.filter((_, k) => root(k) === r).map((h) => h.name), by: [] };
      groups.set(r, g);
    }
    if (!g.by.some((b) => b.mark === by.mark && b.value === by.value)) g.by.push(by);
  }
  return [...groups.values()];
}

/**
 * One entry out of two: what `keep` has stays, what it lacks comes from `drop`; of facts the later ones. The name, the
 * promise to a charter and the state are those of `keep`.
 */
export function merged(keep: Host, drop: Host): Host {
  const facts =
    keep.facts && drop.facts
      ? Date.parse(drop.facts.at) > Date.parse(keep.facts.at)
        ? drop.facts
        : keep.facts
      : (keep.facts ?? drop.facts);
  return { ...drop, ...keep, ...(facts ? { facts } : {}), ...(keep.held ? {} : { held: undefined }) };
}
