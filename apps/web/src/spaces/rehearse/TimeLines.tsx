import type { RehearsedRow } from '@praesidor/core/rehearse';
import { useState } from 'react';
import { scaleOf } from './time-scale.ts';

const looks = {
  good: 'border-verdigris/40 bg-verdigris/12',
  less: 'border-ochre/50 bg-ochre/15',
  away: 'border-brick bg-brick/12 text-brick',
} as const;

/** What happens after a loss, a line for each that is hit: the eye follows one moment down all of them. Arrows go from line to line. */
export function TimeLines({ rows }: { rows: readonly RehearsedRow[] }) {
  const scale = scaleOf(rows.flatMap((r) => r.parts.flatMap((p) => [p.from, ...(p.to === undefined ? [] : [p.to])])));
  const [at, setAt] = useState(0);
  const percent = (share: number) => `${(share * 100).toFixed(2)}%`;
  return (
    <div role="table" aria-label="What happens" className="pt-2">
      <div role="row" className="grid grid-cols-[170px_minmax(0,1fr)_110px] gap-x-3 border-rule border-b pb-1">
        <span role="columnheader" className="text-ink-2 text-sm">
          After
        </span>
        <span role="columnheader" className="mono relative block h-4 text-ink-2 text-sm">
          {scale.ticks.map((t) => (
            <span
              key={t.text}
              className={`absolute whitespace-nowrap ${t.at ? '-translate-x-1/2' : ''}`}
              style={{ left: percent(t.at) }}
            >
              {t.text}
            </span>
          ))}
        </span>
        <span role="columnheader" className="text-ink-2 text-sm">
          Away
        </span>
      </div>
      {rows.map((r, i) => (
        <div
          role="row"
          key={`${r.title} ${r.about}`}
          tabIndex={i === at ? 0 : -1}
          onFocus={() => setAt(i)}
          onKeyDown={(e) => {
            const to = e.key === 'ArrowDown' ? 'nextElementSibling' : e.key === 'ArrowUp' ? 'previousElementSibling' : undefined;
            const next = to && e.currentTarget[to];
            if (next instanceof HTMLElement && next.tabIndex >= -1 && next.dataset.line) {
              e.preventDefault();
              next.focus();
            }
          }}
          data-line
          className="grid grid-cols-[170px_minmax(0,1fr)_110px] items-center gap-x-3 border-rule border-b py-1"
        >
          <span role="rowheader" className="min-w-0">
            <span className="block truncate font-semibold" title={r.title}>
              {r.title}
            </span>
            <span className="block truncate text-ink-2 text-sm">{r.about}</span>
          </span>
          <span role="cell" className="relative block h-5 text-sm">
            {r.parts.map((p) => (
              <span
                key={`${p.from} ${p.is}`}
                title={p.text}
                className={`absolute inset-y-0 truncate border px-1 leading-[18px] ${looks[p.is]}`}
                style={{ left: percent(scale.at(p.from)), width: percent(scale.at(p.to) - scale.at(p.from)) }}
              >
                {p.text}
              </span>
            ))}
          </span>
          <span role="cell" className={r.bad ? 'font-semibold text-brick' : ''}>
            {r.sum}
          </span>
        </div>
      ))}
    </div>
  );
}
