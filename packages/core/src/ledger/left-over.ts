import type { Host, Reservation } from '../model/documents.ts';
import { nodeOf } from './host-of.ts';

/** What became of the host that an address was reserved for as a node: `wiped`, or `rests` with what it ran still on its drives. */
export type LeftOver = 'wiped' | 'rests';

/**
 * The host of an address that stays reserved for a node which its cluster has no more, and what became of that host;
 * undefined where the address is reserved for anything else, or its node still belongs to the charter.
 */
export function leftOver(
  r: Reservation,
  host: (name: string) => Host | undefined,
): { host: string; is: LeftOver; doc?: Host } | undefined {
  const name = nodeOf(r);
  if (!name) return undefined;
  const doc = host(name);
  if (doc?.held?.charter === r.owner.name) return undefined;
  return { host: name, is: doc?.state === 'resting' ? 'rests' : 'wiped', ...(doc ? { doc } : {}) };
}
