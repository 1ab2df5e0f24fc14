import { type Space, spaceOf } from '../address/space.ts';
import type { Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { rangesOf, spokenFor } from './spoken-for.ts';

/** What nobody has of a network and nobody speaks for: where a remedy may move something to. */
export const openIn = (estate: Estate, network: Network): Space =>
  spaceOf(network, [
    ...estate.reservations.filter((r) => r.network === network.name).map((r) => r.address),
    ...rangesOf(spokenFor(estate, network)),
  ]);
