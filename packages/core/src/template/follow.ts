import { carve } from '../address/carve.ts';
import { contains, formatPrefix, overlaps, parsePrefix, prefixRange, type Range } from '../address/index.ts';
import { rangesOf } from '../charter/families.ts';
import { givesWay } from '../charter/stands.ts';
import type { Charter } from '../model/documents.ts';
import type { Blank, FollowRule } from '../model/template.ts';
import { counted } from '../words/amounts.ts';
import type { View } from '../reading/index.ts';

/** What an answer can follow from. */
export interface Around {
  view: View;
  /** The site of the cluster, where it is known. */
  site: string;
  /** What was answered so far, by field of the charter and by key. */
  field: (path: string) => unknown;
  answer: (key: string) => string | undefined;
  /** The charter as it stands: what it holds is its own, and stays where it may. */
  self: Charter | undefined;
  /** Ranges that are taken beside those of the estate. */
  used?: readonly Range[] | undefined;
}
/** What follows, and in a few words from what; undefined: it cannot be known yet. */
export type Followed = { text: string; why: string } | undefined;

const hostsAt = ({ view, site, self }: Around) =>
  view
    .by('Host', 'site', site)
    .filter((h) => (h.held ? h.held.charter === self?.name : ['fit', 'listed'].includes(h.state)) && h.facts !== undefined)
    .length;

/** Every range that is somebody's already, but for the charter's own. */
function usedRanges({ view, self }: Around): Range[] {
  const used = view.memo('ranges by owner', () => [
    ...view.all('Network').map((n) => ['', prefixRange(parsePrefix(n.prefix))] as const),
    ...view.all('Charter').flatMap((c) => rangesOf(c).map((r) => [c.name, prefixRange(parsePrefix(r.range))] as const)),
  ]);
  // Whoever has to move for this one is not in its way.
  return used
    .filter(([owner]) => !self || (owner !== self.name && (!owner || givesWay(view, self, { name: owner }))))
    .map(([, range]) => range);
}

/** How each rule finds its answer. A new rule is a line here and a word in the model. */
export const followRules: Record<FollowRule, (q: Blank, around: Around) => Followed> = {
  'same-as': (q, a) => {
    const text = q.follows?.from && a.answer(q.follows.from);
    return text ? { text, why: `the same as ${q.follows?.from}` } : undefined;
  },
  site: (_, a) => (a.site ? { text: a.site, why: 'the site that it is begun at' } : undefined),
  'cluster-name': (_, a) => {
    if (a.self) return { text: a.self.name, why: 'its name' };
    const wish = `${a.site || 'new'}-cluster`;
    const taken = (n: string) => a.view.get('Charter', n) !== undefined;
    let name = wish;
    for (let i = 2; taken(name); i++) name = `${wish}-${i}`;
    return { text: name, why: 'free, from the name of the site' };
  },
  'free-prefix': (q, a) => {
    const { within, length } = q.follows ?? {};
    if (!within || !length) return undefined;
    const block = parsePrefix(within);
    const used = [...usedRanges(a), ...(a.used ?? [])];
    // Another question of the same cluster may have taken its range a moment ago.
    for (const path of ['pods.range', 'services.range']) {
      const mine = !q.sets.includes(path) && a.field(path);
      if (typeof mine === 'string') used.push(prefixRange(parsePrefix(mine)));
    }
    const own =
      a.self &&
      (q.sets.map((s) =>
        s.split('.').reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], a.self),
      )[0] as string);
    const why = `the first free /${length} of ${within}`;
    if (own) {
      const p = parsePrefix(own);
      if (p.length === length && contains(prefixRange(block), prefixRange(p)) && !used.some((r) => overlaps(r, prefixRange(p))))
        return { text: own, why };
    }
    const free = carve(
      block,
      used.filter((r) => overlaps(r, prefixRange(block))),
      length,
    );
    return free && { text: formatPrefix(free), why };
  },
  'machine-network': (_, a) => {
    const n = a.view.by('Network', 'site', a.site).find((x) => x.purpose === 'machine');
    return n && { text: n.name, why: `the machine network of ${a.site}` };
  },
  mirror: (_, a) => {
    const r = a.view.by('Registry', 'site', a.site).find((x) => x.role !== 'source');
    return r && { text: r.name, why: `the registry of ${a.site}` };
  },
  'newest-release': (_, a) => {
    const [r] = [...a.view.all('Release')].sort((x, y) => y.version.localeCompare(x.version, 'en', { numeric: true }));
    return r && { text: r.name, why: 'the newest release' };
  },
  'hosts-there': (_, a) => {
    const n = hostsAt(a);
    return n ? { text: String(n), why: `as many as are listed at ${a.site}` } : undefined;
  },
  'control-plane': (_, a) => {
    const n = hostsAt(a);
    return n
      ? { text: n >= 3 ? '3' : '1', why: `${counted(n, 'host')} at ${a.site}: the largest odd number up to three` }
      : undefined;
  },
  'workers-left': (_, a) => {
    const n = hostsAt(a);
    const members = Number(a.field('controlPlane.count') ?? 0);
    return n
      ? { text: String(Math.max(0, n - members)), why: `${counted(n, 'host')} at ${a.site} less ${members} of the control plane` }
      : undefined;
  },
};
