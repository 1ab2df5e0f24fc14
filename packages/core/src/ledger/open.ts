import { type Space, spaceOf } from '../address/space.ts';
import type { Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { type View, viewOf } from '../reading/index.ts';

/**
 * The space of a network: what is reserved in it, what documents speak for, its scopes, its pools and its gateway are taken. It is the one
 * answer to whether an address is free, for a charter, the ledger, a remedy and the command line alike.
 *
 * @param inside take from the pools of this use as well
 * @param without leave out what this charter speaks for by its own document, when it is that charter that asks
 */
export function openIn(of: View | Estate, network: Network, inside?: string, without?: { charter: string }): Space {
  const view = viewOf(of);
  return spaceOf(
    network,
    [
      ...view.by('Reservation', 'network', network.name).map((r) => r.address),
      ...view.spokenFor(network, without).map((s) => s.range),
    ],
    inside,
  );
}
