import type { Bill, Registry } from '../model/documents.ts';
import { parseReference } from './reference.ts';

/** Names below `source` are asked of `mirror`; both may go into a registry: `images.upstream.example/core`. */
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

export interface From {
  endpoint: string;
  repository: string;
  reference: string;
  rule?: MirrorRule;
}

/**
 * Where a runtime with these rules would pull `image` from: the longest source that the name begins with, part by part.
 *
 *     whereFrom('up.example/core/api:1', [{ source: 'up.example/core', mirror: 'lr.example:5000/kept' }])
 *     // lr.example:5000, repository kept/api, reference 1
 */
export function whereFrom(image: string, rules: readonly MirrorRule[]): From {
  const ref = parseReference(image);
  const name = `${ref.registry}/${ref.repository}`;
  const rule = rules
    .filter((r) => name === r.source || name.startsWith(`${r.source}/`))
    .sort((a, b) => b.source.length - a.source.length)[0];
  const reference = ref.digest ?? ref.tag ?? 'latest';
  if (!rule) return { endpoint: ref.registry, repository: ref.repository, reference };
  const at = `${rule.mirror}${name.slice(rule.source.length)}`;
  const slash = at.indexOf('/');
  return { endpoint: at.slice(0, slash), repository: at.slice(slash + 1), reference, rule };
}
