import { Graph, layout } from '@dagrejs/dagre';
import { afterText, type StartGroup } from '@praesidor/core/cold-start';
import { useMemo, useState } from 'react';

const box = { width: 122, height: 40 };
type Point = { x: number; y: number };

/** Where the boxes stand: what waits stands below what it waits for. */
function placed(groups: readonly StartGroup[]) {
  const g = new Graph();
  g.setGraph({ rankdir: 'TB', nodesep: 4, ranksep: 18, marginx: 2, marginy: 2 });
  g.setDefaultEdgeLabel(() => ({}));
  for (const x of groups) g.setNode(x.id, { ...box });
  for (const x of groups) for (const from of x.after) g.setEdge(from, x.id);
  layout(g);
  const edges = groups.flatMap((x) =>
    [...x.after.map((from) => ({ from, points: g.edge(from, x.id).points as Point[], not: false }))].map((e) => ({
      ...e,
      to: x.id,
    })),
  );
  const { width = 0, height = 0 } = g.graph() as { width?: number; height?: number };
  return { at: new Map(groups.map((x) => [x.id, g.node(x.id) as Point])), edges, width, height };
}

/** All that a box waits for, over others too, with itself. */
function behind(groups: readonly StartGroup[], id: string): Set<string> {
  const found = new Set<string>([id]);
  const of = new Map(groups.map((x) => [x.id, x]));
  for (const at of found) for (const before of of.get(at)?.after ?? []) found.add(before);
  return found;
}

/**
 * Who waits for whom, from the power at the top to the work at the bottom. The way that takes longest is drawn heavy; whoever is
 * chosen shows what it waits for.
 */
export function StartGraph({
  groups,
  chosen,
  onChoose,
}: {
  groups: readonly StartGroup[];
  chosen: string | undefined;
  onChoose: (id: string | undefined) => void;
}) {
  const drawn = useMemo(() => placed(groups), [groups]);
  const [over, setOver] = useState<string>();
  const lit = over ?? chosen;
  const shown = lit && drawn.at.has(lit) ? behind(groups, lit) : undefined;
  const heavy = new Set(groups.filter((x) => x.longest).map((x) => x.id));
  return (
    <div className="shrink-0 overflow-x-auto pt-3 print:hidden">
      <div role="group" aria-label="Who waits for whom" className="relative" style={{ width: drawn.width, height: drawn.height }}>
        <svg aria-hidden="true" className="absolute inset-0" width={drawn.width} height={drawn.height}>
          {drawn.edges.map((e) => {
            const dim = shown && !(shown.has(e.from) && shown.has(e.to));
            const way = heavy.has(e.from) && heavy.has(e.to);
            return (
              <polyline
                key={`${e.from} ${e.to}`}
                points={e.points.map((p) => `${p.x},${p.y}`).join(' ')}
                fill="none"
                className={way || (shown && !dim) ? 'stroke-ink' : 'stroke-rule-2'}
                strokeWidth={way ? 2 : 1}
                opacity={dim ? 0.25 : 1}
              />
            );
          })}
        </svg>
        {groups.map((x) => {
          const at = drawn.at.get(x.id);
          if (!at) return null;
          const dim = shown && !shown.has(x.id);
          return (
            <div
              // A box of a drawing, not an act of the page: printed with it.
              role="button"
              tabIndex={0}
              key={x.id}
              aria-pressed={x.id === chosen}
              title={x.members.length > 1 ? x.members.map((m) => m.slice(m.indexOf(' ') + 1)).join(', ') : x.title}
              onClick={() => onChoose(x.id === chosen ? undefined : x.id)}
              onKeyDown={(e) => {
                if (e.key !== 'Enter' && e.key !== ' ') return;
                e.preventDefault();
                onChoose(x.id === chosen ? undefined : x.id);
              }}
              onMouseEnter={() => setOver(x.id)}
              onMouseLeave={() => setOver(undefined)}
              style={{ left: at.x - box.width / 2, top: at.y - box.height / 2, ...box }}
              className={`absolute cursor-pointer overflow-hidden border px-1 py-0.5 text-left text-sm leading-[18px] ${
                x.notAfter.length ? 'border-brick bg-brick/12' : x.longest ? 'border-ink bg-leaf' : 'border-rule-2 bg-leaf'
              } ${x.id === chosen ? 'outline-2 outline-verdigris' : ''} ${dim ? 'opacity-40' : ''}`}
            >
              <span className={`block truncate ${x.longest ? 'font-semibold' : ''}`}>{x.title}</span>
              <span className="block truncate text-ink-2">
                {x.charter ? `${x.charter} · ` : ''}
                {afterText(x.up)}
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}
