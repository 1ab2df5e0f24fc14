import type { DocOf } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { readAs, type View } from '../reading/index.ts';
import { serves } from './check.ts';

/** The part of an estate that a registry is looked at with: the charters that pull from it, and which of them stand. */
export const estateOf = (view: View, name: string): Estate => {
  const users = () => view.by('Charter', 'mirror', name);
  return readAs(view, {
    charters: users,
    // Of hosts no more is looked at than whether a cluster stands.
    hosts: () =>
      users()
        .filter((c) => serves(view, c))
        .map((c) => ({ held: { charter: c.name, role: 'worker' }, state: 'serving' }) as DocOf<'Host'>),
  });
};
