import { counted } from '../words/amounts.ts';
import type { ColdStart, StartRow } from './order.ts';
import type { PartKind } from './part.ts';

/** Parts that are alike in what they need and in who needs them: one box of the drawing. */
export interface StartGroup {
  id: string;
  kind: PartKind;
  title: string;
  /** The cluster that it belongs to, or that alone needs it. */
  charter: string | undefined;
  /** Parts of it, in the order in which they begin. */
  members: string[];
  begins: number;
  up: number;
  /** Groups that it waits for: those that are not waited for already by others that it waits for. */
  after: string[];
  /** Groups that it would wait for, were that not a circle. */
  notAfter: string[];
  /** It lies on the way that takes longest. */
  longest: boolean;
}

const many: Partial<Record<PartKind, string>> = {
  power: 'power feed',
  switch: 'switch',
  gateway: 'gateway',
  device: 'machine',
  hypervisor: 'hypervisor',
  host: 'host',
  registry: 'registry',
  work: 'workload',
  storage: 'storage class',
};
/** Where the drawing says of which cluster it is, or all is of one site. */
const short: Partial<Record<PartKind, string>> = {
  'control-plane': 'Control plane',
  nodes: 'Nodes',
  services: 'Service addresses',
};
/** The first label of a name. */
const shortName = (title: string) => (/^[a-z][a-z0-9-]*\.[a-z0-9.-]+$/.test(title) ? title.slice(0, title.indexOf('.')) : title);
const onlyOne = (names: readonly string[]) => (new Set(names).size === 1 ? names[0] : undefined);
const plural: Partial<Record<PartKind, string>> = {
  switch: 'switches',
  registry: 'registries',
  storage: 'storage classes',
};

/** Parts on the way that takes longest: back from what is up last, each time to whom it waited for. */
export function longestWay(all: ColdStart): Set<string> {
  const row = new Map(all.parts.map((p) => [p.id, p]));
  const way = new Set<string>();
  let at: StartRow | undefined = all.parts.reduce<StartRow | undefined>((a, b) => (a && a.up >= b.up ? a : b), undefined);
  while (at && !way.has(at.id)) {
    way.add(at.id);
    at = row.get(at.waits[0] ?? '');
  }
  return way;
}

/**
 * Parts by the first of those that are like them: alike are those of a kind whose needs are alike, and who are needed by those that are
 * alike. Split until nothing splits any more (the coarsest stable partition: Paige and Tarjan, 1987).
 */
function alike(all: ColdStart): Map<string, string> {
  const asked = (p: StartRow) => [...p.needs, ...p.without].flatMap((n) => n.any);
  const askedBy = new Map<string, string[]>();
  for (const p of all.parts)
    for (const m of asked(p)) {
      const list = askedBy.get(m);
      if (list) list.push(p.id);
      else askedBy.set(m, [p.id]);
    }
  let of = new Map(all.parts.map((p) => [p.id, `${p.kind} ${p.charter ?? ''}`]));
  for (let before = 0; ; ) {
    const first = new Map<string, string>();
    const groupsOfList = (ids: readonly string[]) => [...new Set(ids.map((id) => of.get(id) ?? ''))].sort();
    const split = all.parts.map((p) => {
      const key = JSON.stringify([of.get(p.id), groupsOfList(asked(p)), groupsOfList(askedBy.get(p.id) ?? [])]);
      if (!first.has(key)) first.set(key, p.id);
      return [p.id, first.get(key) ?? ''] as const;
    });
    of = new Map(split);
    if (first.size === before) return of;
    before = first.size;
  }
}

/** The parts of a site as boxes with arrows, few enough to be looked at. */
export function groupsOf(all: ColdStart): StartGroup[] {
  const of = alike(all);
  const groups = new Map<string, StartRow[]>();
  for (const p of all.parts) {
    const list = groups.get(of.get(p.id) ?? '');
    if (list) list.push(p);
    else groups.set(of.get(p.id) ?? '', [p]);
  }
  const lists = [...groups.values()];
  const wantedBy = new Map<string, string[]>();
  for (const p of all.parts)
    if (p.charter && (p.kind === 'control-plane' || p.kind === 'nodes'))
      for (const m of p.needs.flatMap((n) => n.any)) wantedBy.set(m, [...(wantedBy.get(m) ?? []), p.charter]);
  const way = longestWay(all);
  const after = new Map(
    lists.map((list) => [
      list[0]?.id ?? '',
      new Set(list.flatMap((p) => p.needs.flatMap((n) => n.any.flatMap((m) => of.get(m) ?? [])))),
    ]),
  );
  /** Whether one is waited for over others; what is not waited for in a circle makes none here. */
  const over = (from: string, to: string, seen = new Set<string>()): boolean =>
    [...(after.get(from) ?? [])].some((g) => {
      if (g === to) return true;
      if (seen.has(g)) return false;
      seen.add(g);
      return over(g, to, seen);
    });
  return lists.map((list): StartGroup => {
    const first = list[0] as StartRow;
    const mine = [...(after.get(first.id) ?? [])];
    return {
      id: first.id,
      kind: first.kind,
      title:
        short[first.kind] ??
        (list.length > 2
          ? counted(list.length, many[first.kind] ?? first.title, plural[first.kind])
          : list.map((p) => shortName(p.title)).join(', ')),
      charter: first.charter ?? (first.kind !== 'host' ? undefined : onlyOne(list.flatMap((p) => wantedBy.get(p.id) ?? []))),
      members: list.map((p) => p.id),
      begins: Math.min(...list.map((p) => p.begins)),
      up: Math.max(...list.map((p) => p.up)),
      after: mine.filter((g) => g !== first.id && !mine.some((o) => o !== g && over(o, g))),
      notAfter: [...new Set(list.flatMap((p) => p.without.flatMap((n) => n.any.flatMap((m) => of.get(m) ?? []))))],
      longest: list.some((p) => way.has(p.id)),
    };
  });
}
