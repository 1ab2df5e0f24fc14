import type { Bill, Registry } from '../model/documents.ts';
import { parseReference } from './reference.ts';

export interface MirrorRule {
  source: string;
  mirror: string;
}

const known = new WeakMap<Bill, string[]>();
function sourcesOf(bill: Bill): string[] {
  let list = known.get(bill);
  if (!list) {
    list = [...new Set(bill.images.map((i) => parseReference(i.ref).registry))];
    known.set(bill, list);
  }
  return list;
}

/** One rule a source registry that the bills name: the runtime asks the mirror and keeps the image's own name. */
export function mirrorRules(bills: readonly Bill[], mirror: Pick<Registry, 'endpoint'>): MirrorRule[] {
  const sources = new Set(bills.flatMap(sourcesOf));
  return [...sources].sort().map((source) => ({ source, mirror: mirror.endpoint }));
}

/** Where a runtime with these rules would pull `image` from: the longest source prefix that matches. */
export function whereFrom(
  image: string,
  rules: readonly MirrorRule[],
): { endpoint: string; repository: string; reference: string; rule?: MirrorRule } {
  const ref = parseReference(image);
  const name = `${ref.registry}/${ref.repository}`;
  const rule = rules
    .filter((r) => name === r.source || name.startsWith(`${r.source}/`))
    .sort((a, b) => b.source.length - a.source.length)[0];
  return {
    endpoint: rule?.mirror ?? ref.registry,
    repository: ref.repository,
    reference: ref.digest ?? ref.tag ?? 'latest',
    ...(rule ? { rule } : {}),
  };
}
