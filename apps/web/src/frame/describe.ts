import type { Doc, Edit, Estate } from '@praesidor/core/model';

const slices: Record<string, keyof Estate> = {
  Site: 'sites',
  Network: 'networks',
  Host: 'hosts',
  Zone: 'zones',
  Record: 'records',
  Reservation: 'reservations',
  Registry: 'registries',
  Release: 'releases',
  Addon: 'addons',
  Baseline: 'baselines',
  Charter: 'charters',
};
const keyOf = (d: Doc) =>
  d.kind === 'Reservation' ? `${d.network}/${d.address}` : d.kind === 'Record' ? `${d.name} ${d.type} ${d.value}` : d.name;
const show = (v: unknown): string =>
  v === undefined ? '—' : typeof v === 'string' ? v : Array.isArray(v) ? v.join(', ') : JSON.stringify(v);

/** An edit in rows that a person can read: what, what stands, what will be. */
export function describe(e: Edit, estate: Estate | undefined): { what: string; before: string; after: string }[] {
  const doc = (kind: string, key: string) =>
    (estate?.[slices[kind] as keyof Estate] as Doc[] | undefined)?.find((d) => keyOf(d) === key);
  if (e.op === 'put')
    return [
      {
        what: `${e.doc.kind} ${keyOf(e.doc)}`,
        before: doc(e.doc.kind, keyOf(e.doc)) ? 'stands' : '—',
        after: e.doc.kind === 'Record' ? `${e.doc.type} ${e.doc.value}` : 'added',
      },
    ];
  if (e.op === 'drop') return [{ what: `${e.kind} ${e.key}`, before: 'stands', after: 'removed' }];
  const before = e.path.reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], doc(e.kind, e.key));
  return [
    {
      what: `${e.kind} ${e.key}, ${e.path.join('.')}`,
      before: show(before),
      after: e.value === undefined ? 'follows' : show(e.value),
    },
  ];
}
