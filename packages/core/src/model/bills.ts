import type { Charter } from './charter.ts';

/** The add-ons of a charter, the one that brings its pod network among them; each once. */
export const addonsOf = (c: Pick<Charter, 'addons' | 'podNetwork'>): string[] => [
  ...new Set([...(c.podNetwork ? [c.podNetwork] : []), ...c.addons]),
];
/** What a charter asks images of: its release, then its add-ons. Bills have their names. */
export const billsOf = (c: Pick<Charter, 'release' | 'addons' | 'podNetwork'>): string[] => [
  ...new Set([c.release, ...addonsOf(c)]),
];
