import { billsOf } from '../model/bills.ts';
import { holdsCount } from '../model/observed.ts';
import type { Registry } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import type { Bill } from '../model/observed.ts';
import { heldBy, joinBills, missing, sizeOf } from './bill.ts';

/** How far a registry is behind what its charters ask of it. */
export interface Behind {
  registry: Registry;
  /** Releases and add-ons that its charters ask for. */
  wanted: string[];
  /** What it lacks of them, and what they are in all, in bytes as declared. */
  short: number;
  of: number;
  /** The same as bytes that must be taken in. */
  bytes: number;
  /** What it holds is not known: it was never reached. */
  unknown: boolean;
}

/** Registries by how much they lack of what is asked of them, most first; then those of which nothing is known, then by name. */
export function behind(estate: Estate, registries: readonly Registry[]): Behind[] {
  const wanted = new Map<string, Set<string>>();
  for (const c of estate.charters) {
    const list = wanted.get(c.mirror) ?? new Set();
    for (const b of billsOf(c)) list.add(b);
    wanted.set(c.mirror, list);
  }
  return registries
    .map((registry): Behind => {
      const names = [...(wanted.get(registry.name) ?? [])];
      const bills = names.flatMap((n): Bill[] => (estate.observed.bills[n] ? [estate.observed.bills[n]] : []));
      const seen = estate.observed.registries[registry.name];
      const unknown = !seen || (seen.error !== undefined && !holdsCount(seen));
      const lacks = unknown ? { declaredBytes: 0, bytes: 0 } : missing(joinBills('', bills), heldBy(seen, registry));
      return {
        ...{ registry, wanted: names, unknown, of: sizeOf(bills).declaredBytes },
        ...{ short: lacks.declaredBytes, bytes: lacks.bytes },
      };
    })
    .sort((a, b) => b.short - a.short || Number(b.unknown) - Number(a.unknown) || (a.registry.name < b.registry.name ? -1 : 1));
}
