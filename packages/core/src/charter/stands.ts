import type { View } from '../reading/index.ts';

/** Whether a cluster stands already: what would stop a build is then no reason to stop it. */
export const serves = (view: View, c: { name: string }): boolean =>
  view.memo(`serves ${c.name}`, () => view.by('Host', 'charter', c.name).some((h) => h.state === 'serving'));

/** Of two charters that want the same: whether the first one has to move. One that stands keeps what it has; of two alike the first by name moves. */
export function givesWay(view: View, a: { name: string }, b: { name: string }): boolean {
  const [mine, other] = [serves(view, a), serves(view, b)];
  return mine === other ? a.name < b.name : other;
}
