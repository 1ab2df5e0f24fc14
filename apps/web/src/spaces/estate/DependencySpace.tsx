import { Graph, layout } from '@dagrejs/dagre';
import { dependenciesOf, type DependencyMap, type Rank, ranks, type Thing } from '@praesidor/core/depends';
import { viewOf } from '@praesidor/core/reading';
import { counted } from '@praesidor/core/words';
import { useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { FindingMarker } from '../../parts/FindingMarker.tsx';
import { useReport } from '../../state/computed.ts';
import { useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

const box = { width: 138, height: 42 };
const words: Record<Rank, string> = {
  site: 'Site',
  network: 'Networks',
  hosts: 'Hosts',
  registry: 'Registries',
  cluster: 'Clusters',
};
type Point = { x: number; y: number };

/** Where each thing opens. */
const opens: Record<Rank, (t: Thing) => string> = {
  site: (t) => `/estate?site=${t.site}`,
  network: (t) => `/addresses?site=${t.site}${t.members.length ? '' : `&net=${t.title}`}`,
  hosts: (t) => `/hosts?site=${t.site}`,
  registry: (t) => `/images?site=${t.site}`,
  cluster: (t) => `/clusters/${t.title}?site=${t.site}`,
};

/** Each rank in a line of its own: an edge is as long as there are ranks between its ends. */
function placed(m: DependencyMap) {
  const g = new Graph();
  g.setGraph({ rankdir: 'TB', nodesep: 10, ranksep: 44, marginx: 4, marginy: 4 });
  g.setDefaultEdgeLabel(() => ({}));
  const rank = new Map(m.things.map((t) => [t.id, ranks.indexOf(t.rank)]));
  for (const t of m.things) g.setNode(t.id, { ...box });
  for (const l of m.links) g.setEdge(l.from, l.to, { minlen: (rank.get(l.to) ?? 1) - (rank.get(l.from) ?? 0) });
  layout(g);
  const at = new Map(m.things.map((t) => [t.id, g.node(t.id) as Point]));
  const { width = 0, height = 0 } = g.graph() as { width?: number; height?: number };
  return { at, edges: m.links.map((l) => ({ ...l, points: g.edge(l.from, l.to).points as Point[] })), width, height };
}

/** A thing with all that it needs, and all that needs it. */
function around(m: DependencyMap, id: string): Set<string> {
  const found = new Set([id]);
  for (const [a, b] of [
    ['from', 'to'],
    ['to', 'from'],
  ] as const) {
    const way = new Set([id]);
    for (const x of way) for (const l of m.links) if (l[a] === x) way.add(l[b]);
    for (const x of way) found.add(x);
  }
  return found;
}

/** What depends on what, from the sites at the top to the clusters at the bottom. */
export function DependencySpace() {
  const { site } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const all = report.data?.findings;
  const map = useMemo(
    () => (estate && all ? dependenciesOf(viewOf(estate), all, site ? { site } : {}) : undefined),
    [estate, all, site],
  );
  const sites = useMemo(() => (map ? apart(map) : []), [map]);
  const findings = (all ?? []).filter((f) => map?.things.some((t) => t.site === f.site));
  const left = map?.folded.reduce((n, f) => n + f.sites.length, 0) ?? 0;
  return (
    <Space
      space="dependency"
      title="By dependency"
      facts={
        map
          ? `${counted(map.things.filter((t) => t.rank === 'site').length, 'site')} drawn${left ? `, the worst of ${counted(left + map.things.filter((t) => t.rank === 'site').length, 'site')}` : ''}`
          : ''
      }
      findings={findings}
      sheets={<SubNav site={site} />}
    >
      {estate && !estate.sites.length && (
        <Empty title="Nothing is declared yet">
          Sites stand at the top here, with their networks, hosts and registries below them, and the clusters that need all of
          those at the bottom.
        </Empty>
      )}
      {map && (
        <>
          {sites.map((m) => (
            <Drawing key={m.things[0]?.id} map={m} />
          ))}
          {map.folded.map((f) => (
            <p key={f.worst ?? 'none'} className="pt-2 text-ink-2">
              Not drawn: {counted(f.sites.length, 'site')}{' '}
              {f.worst
                ? { stop: 'with a stop', mind: 'with something that will hurt', note: 'with notes' }[f.worst]
                : 'without findings'}
              , such as {f.sites.slice(0, 6).join(', ')}. Choose one at the top right.
            </p>
          ))}
        </>
      )}
    </Space>
  );
}

/** What is drawn of each site, by itself: one under the other they need no more room than the page has. */
const apart = (m: DependencyMap): DependencyMap[] =>
  m.things
    .filter((t) => t.rank === 'site')
    .map(({ site }) => {
      const things = m.things.filter((t) => t.site === site);
      const there = new Set(things.map((t) => t.id));
      return { things, links: m.links.filter((l) => there.has(l.from) && there.has(l.to)), folded: [] };
    });

function Drawing({ map }: { map: DependencyMap }) {
  const drawn = useMemo(() => placed(map), [map]);
  const [over, setOver] = useState<string>();
  const lit = over ? around(map, over) : undefined;
  return (
    <div className="flex shrink-0 overflow-x-auto pt-3">
      <Ranks map={map} at={drawn.at} height={drawn.height} />
      <div
        className="relative shrink-0"
        role="group"
        aria-label={`What depends on what at ${map.things[0]?.title}`}
        style={{ width: drawn.width, height: drawn.height }}
      >
        <svg aria-hidden="true" className="absolute inset-0" width={drawn.width} height={drawn.height}>
          {drawn.edges.map((e) => {
            const on = lit?.has(e.from) && lit.has(e.to);
            return (
              <polyline
                key={`${e.from} ${e.to}`}
                points={e.points.map((p) => `${p.x},${p.y}`).join(' ')}
                fill="none"
                className={on ? 'stroke-ink' : 'stroke-rule-2'}
                strokeWidth={on ? 1.5 : 1}
                opacity={lit && !on ? 0.25 : 1}
              />
            );
          })}
        </svg>
        {map.things.map((t) => {
          const p = drawn.at.get(t.id);
          return p && <Box key={t.id} of={t} at={p} dim={lit !== undefined && !lit.has(t.id)} onOver={setOver} />;
        })}
      </div>
    </div>
  );
}

/** The names of the ranks, each at its line. */
function Ranks({ map, at, height }: { map: DependencyMap; at: ReadonlyMap<string, Point>; height: number }) {
  return (
    <div aria-hidden="true" className="relative w-[86px] shrink-0" style={{ height }}>
      {ranks.map((r) => {
        const first = map.things.find((t) => t.rank === r);
        const y = first && at.get(first.id)?.y;
        return (
          y !== undefined && (
            <span key={r} className="absolute left-0 text-ink-2 text-sm" style={{ top: y - 9 }}>
              {words[r]}
            </span>
          )
        );
      })}
    </div>
  );
}

function Box({ of: t, at, dim, onOver }: { of: Thing; at: Point; dim: boolean; onOver: (id: string | undefined) => void }) {
  const edge = { stop: 'border-brick', mind: 'border-ochre', note: 'border-slate' };
  return (
    <Link
      to={opens[t.rank](t)}
      title={t.members.length ? t.members.slice(0, 30).join(', ') : t.title}
      aria-label={`${words[t.rank]}: ${t.title}, ${t.about}${t.findings ? `, ${counted(t.findings, 'finding')}` : ''}`}
      onMouseEnter={() => onOver(t.id)}
      onMouseLeave={() => onOver(undefined)}
      onFocus={() => onOver(t.id)}
      onBlur={() => onOver(undefined)}
      style={{ left: at.x - box.width / 2, top: at.y - box.height / 2, ...box }}
      className={`absolute border bg-leaf px-1.5 py-0.5 text-sm leading-[18px] ${t.worst ? edge[t.worst] : 'border-rule-2'} ${dim ? 'opacity-40' : ''}`}
    >
      <span className="flex items-center gap-1">
        <span className={`min-w-0 flex-1 truncate ${t.rank === 'site' || t.rank === 'cluster' ? 'font-semibold' : ''}`}>
          {t.title}
        </span>
        {t.worst && <FindingMarker severity={t.worst} number={t.findings} />}
      </span>
      <span className={`block truncate text-ink-2 ${t.rank === 'network' && !t.members.length ? 'mono' : ''}`}>{t.about}</span>
    </Link>
  );
}
