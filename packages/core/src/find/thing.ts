/** Something that can be gone to or done. */
export interface Thing {
  /** What it is called, as people type it. */
  name: string;
  /** What stands beside it: what it is, or one more fact. */
  hint: string;
  /** Other texts that it is found by: addresses, MACs, serials, digests. */
  also: string;
  /** Where it is, or where it is done. */
  go: string;
  site: string;
  sort: Sort;
}
/** Kinds of things, in the order in which equal ones are shown. */
export const sorts = [
  'space',
  'act',
  'site',
  'cluster',
  'host',
  'network',
  'registry',
  'store',
  'team',
  'image',
  'zone',
  'build',
  'setting',
  'address',
  'record',
  'finding',
  'digest',
] as const;
export type Sort = (typeof sorts)[number];
