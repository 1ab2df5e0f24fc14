import type { Reservation } from '../model/documents.ts';

const node = /^node (.+)$/;

/** Hosts by the addresses that are theirs: reserved for them by name, or for the node that they are of a cluster. */
export const hostsByAddress = (reservations: readonly Reservation[]): Map<string, string> =>
  new Map(
    reservations.flatMap((r) => {
      const host =
        r.owner.kind === 'host' ? r.owner.name : r.owner.kind === 'charter' ? node.exec(r.owner.use ?? '')?.[1] : undefined;
      return host ? [[r.address, host] as const] : [];
    }),
  );
