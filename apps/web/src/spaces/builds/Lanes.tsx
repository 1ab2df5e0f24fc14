import {
  type FoldedKind,
  type LaneRow,
  type LaneState,
  type RunStatus,
  rowsOf,
  type Step,
  timeline,
} from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { useVirtualizer } from '@tanstack/react-virtual';
import { Fragment, useMemo, useRef, useState } from 'react';
import type { BuildWhole } from '../../api/queries.ts';
import { span } from '../../parts/time.ts';
import { Axis, useWidth, type Window, Zoom } from './TimeAxis.tsx';

const height = 35;
/** From so many rows on, only those in view are drawn. */
const many = 24;
const fits = (text: string, px: number) => text.length * 6.2 + 9 <= px;

/**
 * Lanes over time: what is done, what runs, what is expected; the critical path is underlined. Many lanes that stand alike are one row, and a
 * span of time can be looked at closely: by dragging over the times, or by the buttons.
 */
export function Lanes({
  build,
  now,
  chosen,
  onChoose,
  planned = false,
  point,
}: {
  build: Pick<BuildWhole, 'charter' | 'steps' | 'status' | 'moves'> & { plan: Pick<BuildWhole['plan'], 'nodes'> };
  now: number;
  chosen: string | undefined;
  onChoose?: (step: string) => void;
  /** Not begun: times count from its begin. */
  planned?: boolean;
  /** From when on it cannot be undone. */
  point?: number | undefined;
}) {
  const { steps, status, plan, moves } = build;
  const t = timeline(steps, status, now);
  const over = status.ended ? Date.parse(status.ended) : undefined;
  const end = Math.max(over ?? t.end, t.start + 1000) + (over ? 0 : (t.end - t.start) * 0.03);
  const whole: Window = [t.start, end];
  const [zoom, setZoom] = useState<Window>();
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const shown = zoom ?? whole;
  const bars = useMemo(() => new Map(t.bars.map((b) => [b.id, b])), [t.bars]);
  const nodes = useMemo(() => new Map(plan.nodes.map((n) => [n.host, n])), [plan.nodes]);
  const leaves = useMemo(() => new Set(moves.leaves), [moves.leaves]);
  const groupOf = (lane: string) => (leaves.has(lane) ? 'leaving' : nodes.get(lane)?.role.replace('-', ' '));
  const rows = rowsOf(steps, status, { last: build.charter, groupOf, open });
  const sub = (lane: string) => {
    const n = nodes.get(lane);
    if (leaves.has(lane)) return 'leaves';
    return n ? `${n.role.replace('-', ' ')}, ${n.zone}` : lane === build.charter ? 'whole cluster' : 'names, ledger';
  };
  const axis = useRef<HTMLDivElement>(null);
  const width = useWidth(axis);
  const of = shown[1] - shown[0];
  const share = (ms: number) => (ms - shown[0]) / of;
  const draw: Drawing = {
    full: width,
    bars,
    status,
    chosen,
    onChoose,
    line: planned ? point : over ? undefined : now,
    place: (from, to) => {
      if (to < shown[0] || from > shown[1]) return undefined;
      const left = Math.max(0, share(from));
      const right = Math.min(1, Math.max(share(to), 0));
      return {
        left: `${left * 100}%`,
        width: `max(5px, calc(${(right - left) * 100}% - 2px))`,
        px: (right - left) * width - 2,
        at: left * width,
      };
    },
  };
  const toggle = (fold: string) =>
    setOpen((was) => {
      const next = new Set(was);
      if (!next.delete(fold)) next.add(fold);
      return next;
    });
  return (
    <div role="group" aria-label="Lanes">
      <div className="grid grid-cols-[132px_minmax(0,1fr)]">
        <Zoom
          shown={shown}
          whole={whole}
          zoomed={zoom !== undefined}
          around={planned ? shown[0] : Math.min(now, end)}
          onZoom={setZoom}
        />
        <Axis
          ref={axis}
          shown={shown}
          planned={planned}
          mark={planned ? point : over ? undefined : now}
          onSelect={(a, b) => setZoom([shown[0] + a * of, shown[0] + b * of])}
        />
      </div>
      <Rows rows={rows} draw={draw} sub={sub} onToggle={toggle} />
    </div>
  );
}

/** Draws rows; of very many those in view alone. */
function Rows({
  rows,
  draw,
  sub,
  onToggle,
}: {
  rows: readonly LaneRow[];
  draw: Drawing;
  sub: (lane: string) => string;
  onToggle: (fold: string) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const windowed = rows.length > many;
  const list = useVirtualizer({
    count: windowed ? rows.length : 0,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: 6,
  });
  const row = (r: LaneRow) =>
    'fold' in r ? (
      <Fold key={r.fold} row={r} draw={draw} onToggle={() => onToggle(r.fold)} />
    ) : (
      <Lane key={r.lane} lane={r.lane} sub={sub(r.lane)} steps={r.steps} draw={draw} inner={r.within !== undefined} />
    );
  if (!windowed) return <div>{rows.map(row)}</div>;
  return (
    <div ref={box} className="max-h-[56vh] overflow-y-auto border-rule border-b">
      <div className="relative" style={{ height: list.getTotalSize() }}>
        {list.getVirtualItems().map((v) => (
          <div key={v.key} className="absolute inset-x-0" style={{ top: v.start, height }}>
            {row(rows[v.index] as LaneRow)}
          </div>
        ))}
      </div>
    </div>
  );
}

/** How a lane is drawn: where in time, and what is chosen. */
interface Drawing {
  bars: ReadonlyMap<string, { start: number; end: number; deciding: boolean }>;
  status: RunStatus;
  chosen: string | undefined;
  onChoose: ((step: string) => void) | undefined;
  /** A moment that is marked in all lanes. */
  line: number | undefined;
  /** Undefined: it is not in what is shown. `px`: how wide it is, `at`: where it begins, in pixels of `full`. */
  full: number;
  place: (from: number, to: number) => { left: string; width: string; px: number; at: number } | undefined;
}

type Placed = NonNullable<ReturnType<Drawing['place']>>;
/** Where a name stands that its bar has no room for: behind the bar, else before it, in what is free there; undefined: nowhere, and the title says it. */
function besideOf(
  text: string,
  before: Placed | undefined,
  at: Placed,
  after: Placed | undefined,
  full: number,
): number | undefined {
  const wide = text.length * 6.2 + 8;
  const end = at.at + Math.max(5, at.px);
  if ((after?.at ?? full) - end >= wide) return end + 4;
  // What stands there may have its own name behind it.
  const free = at.at - (before ? before.at + Math.max(5, before.px) : 0);
  return free >= wide * (before ? 2.5 : 1) ? at.at - wide + 4 : undefined;
}

const looks: Record<string, string> = {
  done: 'border-verdigris/50 bg-verdigris-tint text-ink',
  running: 'border-verdigris bg-verdigris text-on-fill',
  failed: 'border-brick bg-brick text-on-fill',
  cut: 'hatch border-rule-2 text-ink-2',
  skipped: 'border-rule-2 border-dashed text-ink-2 line-through',
  waiting: 'border-rule-2 text-ink-2',
};

function Line({ draw }: { draw: Drawing }) {
  const at = draw.line === undefined ? undefined : draw.place(draw.line, draw.line);
  return at ? (
    <span
      className="pointer-events-none absolute top-0 -bottom-px z-10 w-[2px] -translate-x-px bg-brick"
      style={{ left: at.left }}
    />
  ) : null;
}

function Lane({
  lane,
  sub,
  steps,
  draw,
  inner,
}: {
  lane: string;
  sub: string;
  steps: readonly Step[];
  draw: Drawing;
  inner: boolean;
}) {
  const { bars, status, chosen, onChoose } = draw;
  const shown = steps
    .flatMap((s) => {
      const b = bars.get(s.id);
      const st = status.steps[s.id];
      const at = b && draw.place(b.start, b.end);
      return b && st && at ? [{ s, b, st, at }] : [];
    })
    .sort((p, q) => p.at.at - q.at.at);
  return (
    <div className="grid h-[35px] grid-cols-[132px_minmax(0,1fr)]">
      <div className={`truncate border-rule border-b py-0.5 leading-tight ${inner ? 'pl-4' : ''}`}>
        <div className="truncate">{lane}</div>
        <div className="truncate text-ink-3 text-xs">{sub}</div>
      </div>
      <div className="relative overflow-x-clip border-rule border-b">
        {shown.map(({ s, b, st, at }, n) => {
          const title = `${s.title}${st.state === 'running' && st.of ? ` ${st.done}/${st.of}` : ''}`;
          const healed = st.healed.length > 0 ? ' ◦' : '';
          const text = `${s.lane}, ${title}: ${st.state === 'waiting' ? 'not begun' : st.state}${healed ? ', healed by itself' : ''}, ${span(b.end - b.start)}`;
          const inside = fits(title + healed, at.px);
          const beside = inside ? undefined : besideOf(s.title + healed, shown[n - 1]?.at, at, shown[n + 1]?.at, draw.full);
          return (
            <Fragment key={s.id}>
              <button
                type="button"
                data-row
                data-step={s.id}
                data-state={st.state}
                aria-label={text}
                title={`${text}${st.text ? `\n${st.text}` : ''}`}
                aria-pressed={chosen === s.id}
                onClick={() => onChoose?.(s.id)}
                className={`absolute top-[6px] h-[20px] overflow-hidden whitespace-nowrap border px-1 text-left text-[11px] leading-[17px] ${looks[st.state]} ${b.deciding ? 'border-b-[3px] border-b-ink' : ''} ${chosen === s.id ? 'outline-2 outline-ink outline-offset-1' : ''}`}
                style={{ left: at.left, width: at.width }}
              >
                {inside ? title + healed : ''}
              </button>
              {beside !== undefined && (
                <span
                  aria-hidden="true"
                  className="pointer-events-none absolute top-[8px] whitespace-nowrap text-[11px] text-ink-2"
                  style={{ left: beside }}
                >
                  {s.title + healed}
                </span>
              )}
            </Fragment>
          );
        })}
        <Line draw={draw} />
      </div>
    </div>
  );
}

const stateWords: Record<LaneState, string> = { failed: 'failed', running: 'working', waiting: 'waiting', done: 'done' };

/** Many lanes that stand alike: of each kind of step from when to when, and how many have passed it. */
function Fold({ row, draw, onToggle }: { row: Extract<LaneRow, { fold: string }>; draw: Drawing; onToggle: () => void }) {
  return (
    <div className="grid h-[35px] grid-cols-[132px_minmax(0,1fr)]">
      <button
        type="button"
        data-row
        aria-expanded={row.open}
        onClick={onToggle}
        className="truncate border-rule border-b py-0.5 text-left leading-tight hover:underline"
      >
        <div className={row.state === 'failed' ? 'font-semibold text-brick' : ''}>
          <span aria-hidden="true">{row.open ? '▾' : '▸'}</span> {counted(row.lanes.length, 'host')}
        </div>
        <div className="truncate text-ink-3 text-xs">
          {row.group}, {stateWords[row.state]}
        </div>
      </button>
      <div className="relative overflow-x-clip border-rule border-b">
        <Folded row={row} draw={draw} />
        <Line draw={draw} />
      </div>
    </div>
  );
}

/** A kind of step over many lanes, from the first begin to the last end. */
function spanOf(of: FoldedKind, draw: Drawing) {
  let [from, to, deciding] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, false];
  const states = new Set<string>();
  for (const s of of.steps) {
    const b = draw.bars.get(s.id);
    if (!b) continue;
    from = Math.min(from, b.start);
    to = Math.max(to, b.end);
    deciding ||= b.deciding;
    states.add(draw.status.steps[s.id]?.state ?? 'waiting');
  }
  const state = ['failed', 'running', 'cut'].find((x) => states.has(x)) ?? (of.done === of.steps.length ? 'done' : 'waiting');
  return { of, from, to, deciding, state, at: draw.place(from, to) };
}

/** Where one reaches into the next, the next lies over it: its name has the room before that. */
function Folded({ row, draw }: { row: Extract<LaneRow, { fold: string }>; draw: Drawing }) {
  const list = row.kinds
    .map((k) => spanOf(k, draw))
    .flatMap((k) => (k.at ? [{ ...k, at: k.at }] : []))
    .sort((a, b) => a.at.at - b.at.at);
  return list.map(({ of, from, to, deciding, state, at }, n) => {
    const room = Math.min(at.px, (list[n + 1]?.at.at ?? Number.POSITIVE_INFINITY) - at.at);
    const count = of.done === of.steps.length || of.done === 0 ? '' : ` ${of.done}/${of.steps.length}`;
    const text = `${of.title}: ${of.done} of ${of.steps.length}, ${span(to - from)}`;
    return (
      <span
        key={`${of.kind} ${of.title}`}
        title={text}
        role="img"
        aria-label={text}
        className={`absolute top-[6px] h-[20px] overflow-hidden whitespace-nowrap border px-1 text-[11px] leading-[17px] ${looks[state]} ${deciding ? 'border-b-[3px] border-b-ink' : ''}`}
        style={{ left: at.left, width: at.width }}
      >
        {fits(of.title + count, room) ? of.title + count : fits(of.title, room) ? of.title : ''}
      </span>
    );
  });
}
