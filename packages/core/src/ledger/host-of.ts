import type { Reservation } from '../model/documents.ts';

const node = /^node (.+)$/;
/** The host whose node of a cluster an address is reserved for; undefined where it is reserved for anything else. */
export const nodeOf = (r: Reservation): string | undefined =>
  r.owner.kind === 'charter' ? node.exec(r.owner.use ?? '')?.[1] : undefined;

const further = /^\S+ of (.+)$/;
/** The host of a cluster that has an address on its drives: as the node that it is, or in a further network of its nodes. */
export const hostWith = (r: Reservation): string | undefined =>
  nodeOf(r) ?? (r.owner.kind === 'charter' ? further.exec(r.owner.use ?? '')?.[1] : undefined);

/** Hosts by the addresses that are theirs: reserved for them by name, or for the node that they are of a cluster. */
export const hostsByAddress = (reservations: readonly Reservation[]): Map<string, string> =>
  new Map(
    reservations.flatMap((r) => {
      const host = r.owner.kind === 'host' ? r.owner.name : nodeOf(r);
      return host ? [[r.address, host] as const] : [];
    }),
  );
