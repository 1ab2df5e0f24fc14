import type { Bill } from '../model/observed.ts';
import type { Registry } from '../model/documents.ts';
import { parseReference, type Reference } from './reference.ts';

/** Names below `source` are asked of `mirror`; both may go into a registry: `images.upstream.example/core`. */
export interface MirrorRule {
  source: string;
  mirror: string;
}
/** How a registry keeps images: under their own paths, but for those that a rule of its own puts below another one. */
export type Keeping = Pick<Registry, 'keeps'>;

/** The rule whose source is the longest that a name begins with, part by part. */
const longest = <R extends { source: string }>(name: string, rules: readonly R[]): R | undefined =>
  rules
    .filter((r) => name === r.source || name.startsWith(`${r.source}/`))
    .reduce<R | undefined>((best, r) => (best && best.source.length >= r.source.length ? best : r), undefined);

/**
 * Where a registry keeps an image.
 *
 *     keptAt('up.example/core/api:1', { keeps: [{ source: 'up.example', under: 'mirrored' }] })
 *     // repository mirrored/core/api, tag 1
 *
 * @throws Error for no image name
 */
export function keptAt(image: string, registry: Keeping | undefined): Reference {
  const ref = parseReference(image);
  if (!registry?.keeps?.length) return ref;
  const name = `${ref.registry}/${ref.repository}`;
  const rule = longest(name, registry.keeps);
  return rule ? { ...ref, repository: `${rule.under}${name.slice(rule.source.length)}` } : ref;
}

/** Repositories of a registry in which an image's blobs may stand: where it keeps them, and where it kept them before. */
export function placesAt(image: string, registry: Keeping | undefined): string[] {
  return [...new Set([keptAt(image, registry).repository, parseReference(image).repository])];
}

/** The rules by which a runtime finds these images at a mirror: it asks the mirror, and keeps the image's own name. */
export function rulesFor(images: Iterable<string>, mirror: Pick<Registry, 'endpoint' | 'keeps'>): MirrorRule[] {
  const rules = new Map<string, string>();
  for (const image of images) {
    const ref = parseReference(image);
    const own = longest(`${ref.registry}/${ref.repository}`, mirror.keeps ?? []);
    rules.set(own?.source ?? ref.registry, own ? `${mirror.endpoint}/${own.under}` : mirror.endpoint);
  }
  return [...rules].map(([source, at]) => ({ source, mirror: at })).sort((a, b) => (a.source < b.source ? -1 : 1));
}

const one = new WeakMap<Bill, string[]>();
/** One image of each source registry that a bill names: where nothing is kept elsewhere, they stand for all. */
function samplesOf(bill: Bill): string[] {
  let list = one.get(bill);
  if (!list) {
    list = [...new Map(bill.images.map((i) => [parseReference(i.ref).registry, i.ref])).values()];
    one.set(bill, list);
  }
  return list;
}

/** The rules for everything that some bills name. */
export const mirrorRules = (bills: readonly Bill[], mirror: Pick<Registry, 'endpoint' | 'keeps'>): MirrorRule[] =>
  rulesFor(
    bills.flatMap((b) => (mirror.keeps?.length ? b.images.map((i) => i.ref) : samplesOf(b))),
    mirror,
  );

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
  const rule = longest(name, rules);
  const reference = ref.digest ?? ref.tag ?? 'latest';
  if (!rule) return { endpoint: ref.registry, repository: ref.repository, reference };
  const at = `${rule.mirror}${name.slice(rule.source.length)}`;
  const slash = at.indexOf('/');
  return { endpoint: at.slice(0, slash), repository: at.slice(slash + 1), reference, rule };
}
