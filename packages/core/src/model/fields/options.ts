import type { Kind } from '../documents.ts';
import type { Doc } from '../documents.ts';
import { type Estate, keyOf, sliceOf } from '../estate.ts';
import { systemsOf } from '../systems.ts';
import type { Reference } from './field.ts';

/**
 * What a field that refers to something can hold: names that stand in the estate, those of the document's own site first.
 * Racks and zones are those of its site, pools those of the network itself, questions those of the charter's add-ons,
 * operating systems those of its release.
 */
export function optionsFor(refers: Reference, estate: Estate, doc: Readonly<Record<string, unknown>>): string[] {
  if ('key' in refers) return estate.keys.filter((k) => k.use === refers.key).map((k) => k.name);
  if ('of' in refers) {
    if (refers.of === 'pool') return namesIn(doc.pools);
    if (refers.of === 'question') return questionsOf(estate, doc);
    if (refers.of === 'system') return systemsOf(estate.releases.find((r) => r.name === doc.release)).map((c) => c.name);
    const site = doc.kind === 'Site' ? doc : estate.sites.find((s) => s.name === doc.site);
    return namesIn((site as Record<string, unknown> | undefined)?.[refers.of === 'rack' ? 'racks' : 'zones']);
  }
  const here = (d: Doc) => !('site' in d) || d.site === doc.site;
  return (estate[sliceOf[refers.kind as Kind]] as Doc[])
    .filter((d) => (refers.anywhere ? true : here(d)))
    .filter((d) => !refers.purpose || (d.kind === 'Network' && d.purpose === refers.purpose))
    .filter((d) => !refers.provides || (d.kind === 'Addon' && d.provides === refers.provides))
    .filter((d) => !refers.roles || (d.kind === 'Registry' && refers.roles.includes(d.role)))
    .sort((a, b) => Number(!here(a)) - Number(!here(b)))
    .map(keyOf);
}

const namesIn = (list: unknown): string[] => [
  ...new Set(Array.isArray(list) ? list.flatMap((r) => (typeof r?.name === 'string' ? [r.name] : [])) : []),
];

const questionsOf = (estate: Estate, doc: Readonly<Record<string, unknown>>): string[] => {
  const named = new Set<unknown>([doc.podNetwork, ...(Array.isArray(doc.addons) ? doc.addons : [])]);
  return [...new Set(estate.addons.filter((a) => named.has(a.name)).flatMap((a) => a.questions?.map((q) => q.key) ?? []))];
};
