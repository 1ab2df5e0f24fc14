import { type BuildStatus, type Step, timeline } from '@praesidor/core/schedule';
import { useRef, useState } from 'react';
import type { BuildWhole } from '../../api/queries.ts';
import { clock, clockSeconds, span } from '../../parts/time.ts';

/** Lanes over time: what is done, what runs, what is expected; the critical path is underlined. */
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
  const width = end - t.start;
  const x = (ms: number) => `${Math.max(0, Math.min(100, ((ms - t.start) / width) * 100))}%`;
  // The cluster as a whole stands last, whatever of it comes first.
  const lanes = [...new Set(steps.map((s) => s.lane))].sort((p, q) => Number(p === build.charter) - Number(q === build.charter));
  const sub = (lane: string) => {
    const n = plan.nodes.find((p) => p.host === lane);
    if (moves.leaves.includes(lane)) return 'leaves';
    return n ? `${n.role.replace('-', ' ')}, ${n.zone}` : lane === build.charter ? 'whole cluster' : 'names, ledger';
  };
  const ticks = ticksFor(t.start, end);
  const fine = width < 10 * 60_000;
  return (
    <div role="group" aria-label="Lanes" className="grid grid-cols-[104px_minmax(0,1fr)]">
      <div />
      <div className="relative h-[34px]">
        {ticks.map((k) => (
          <span key={k} className="mono absolute top-0 -translate-x-1/2 text-ink-3" style={{ left: x(k) }}>
            {planned ? (k % 60_000 ? span(k) : `${k / 60_000} min`) : fine ? clockSeconds(k) : clock(k)}
          </span>
        ))}
        {planned && point !== undefined && (
          <span
            className="absolute bottom-0 -translate-x-1/2 whitespace-nowrap font-semibold text-brick text-sm"
            style={{ left: x(point) }}
          >
            cannot be undone
          </span>
        )}
        {!over && !planned && (
          <span className="absolute bottom-0 -translate-x-1/2 font-semibold text-brick text-sm" style={{ left: x(now) }}>
            {fine ? clockSeconds(now) : clock(now)}
          </span>
        )}
      </div>
      {lanes.map((lane) => (
        <Lane
          key={lane}
          lane={lane}
          sub={sub(lane)}
          steps={steps.filter((s) => s.lane === lane)}
          status={status}
          bars={t.bars}
          x={x}
          chosen={chosen}
          onChoose={onChoose}
          now={planned ? point : over ? undefined : now}
        />
      ))}
    </div>
  );
}

interface LaneProps {
  lane: string;
  sub: string;
  steps: Step[];
  status: BuildStatus;
  bars: { id: string; start: number; end: number; deciding: boolean }[];
  x: (ms: number) => string;
  chosen: string | undefined;
  onChoose: ((s: string) => void) | undefined;
  now: number | undefined;
}
function Lane({ lane, sub, steps, status, bars, x, chosen, onChoose, now }: LaneProps) {
  const row = useRef<HTMLDivElement>(null);
  const [, setOver] = useState('');
  return (
    <>
      <div className="border-rule border-b py-0.5 leading-tight">
        <div>{lane}</div>
        <div className="text-ink-3 text-xs">{sub}</div>
      </div>
      <div ref={row} className="relative border-rule border-b">
        {steps.map((s) => {
          const b = bars.find((y) => y.id === s.id);
          const st = status.steps[s.id];
          if (!b || !st) return null;
          const look =
            st.state === 'done'
              ? 'border-verdigris/50 bg-verdigris-tint text-ink'
              : st.state === 'running'
                ? 'border-verdigris bg-verdigris text-on-fill'
                : st.state === 'failed'
                  ? 'border-brick bg-brick text-on-fill'
                  : st.state === 'cut'
                    ? 'hatch border-rule-2 text-ink-2'
                    : 'border-rule-2 text-ink-2';
          const shown = `${s.title}${st.state === 'running' && st.of ? ` ${st.done}/${st.of}` : ''}`;
          const text = `${s.lane}, ${shown}: ${st.state === 'waiting' ? 'not begun' : st.state}${st.healed.length ? ', healed by itself' : ''}, ${span(b.end - b.start)}`;
          return (
            <button
              type="button"
              key={s.id}
              data-row
              data-step={s.id}
              data-state={st.state}
              aria-label={text}
              title={`${text}${st.text ? `\n${st.text}` : ''}`}
              aria-pressed={chosen === s.id}
              onMouseEnter={() => setOver(s.id)}
              onClick={() => onChoose?.(s.id)}
              className={`@container absolute top-[6px] h-[20px] overflow-hidden text-ellipsis whitespace-nowrap border px-1 text-left text-[11px] leading-[17px] ${look} ${b.deciding ? 'border-b-[3px] border-b-ink' : ''} ${chosen === s.id ? 'outline-2 outline-ink outline-offset-1' : ''}`}
              style={{ left: x(b.start), width: `max(5px, calc(${x(b.end)} - ${x(b.start)} - 2px))` }}
            >
              {/* A name that would be cut to a few letters is left to the title. */}
              <span className="hidden @min-[34px]:inline">{shown}</span>
              {st.healed.length > 0 && <span aria-hidden="true"> ◦</span>}
            </button>
          );
        })}
        {now !== undefined && (
          <span
            className="pointer-events-none absolute top-0 -bottom-px z-10 w-[2px] -translate-x-px bg-brick"
            style={{ left: x(now) }}
          />
        )}
      </div>
    </>
  );
}

function ticksFor(start: number, end: number): number[] {
  const steps = [5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600].map((s) => s * 1000);
  const step = steps.find((s) => (end - start) / s <= 7) ?? 7_200_000;
  const out: number[] = [];
  for (let t = Math.ceil(start / step) * step; t < end; t += step)
    if ((t - start) / (end - start) > 0.02 && (t - start) / (end - start) < 0.97) out.push(t);
  return out;
}
