import { type ActName, acts, may } from '@praesidor/core/access';
import { type Me, useMe } from '../api/queries.ts';

/** What a person may do, as the server decides it: the same function. */
export interface Leave {
  may: (act: ActName) => boolean;
  /** Why an act is not offered, for its title; empty when it is. */
  why: (act: ActName) => string;
}
export function leaveOf(me: Pick<Me, 'login' | 'role' | 'sites' | 'teams'> | undefined): Leave {
  // Somewhere is enough to be offered it: the server asks again where it is done.
  const allowed = (act: ActName) => me !== undefined && may({ ...me, kind: 'person' }, act, undefined, 'anywhere');
  return { may: allowed, why: (act) => (allowed(act) ? '' : `takes the role ${acts[act].role}`) };
}
export const useMay = (): Leave => leaveOf(useMe().data);
