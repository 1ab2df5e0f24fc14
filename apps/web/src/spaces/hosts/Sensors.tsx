import type { Series } from '@praesidor/contract';
import { clock } from '../../parts/time.ts';
import { type ChartConfiguration, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { useCallback } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Chart } from '../../parts/Chart.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';

const uses = [LineController, LineElement, PointElement, LinearScale, Tooltip];

const dashes = [[], [6, 3], [2, 2], [8, 2, 2, 2]];

/** Readings over the last day: temperatures in one chart, power in another; the rest as they are now. */
export default function Sensors({ host, samples, live }: { host: string; samples: readonly Series[]; live: boolean }) {
  const read = useCall<object>(() => ({ method: 'POST', path: `/api/hosts/${host}/sensors` }), '', [['host', host]]);
  const heat = samples.filter((s) => s.unit === '°C');
  const power = samples.filter((s) => s.unit === 'W');
  const rest = samples.filter((s) => !heat.includes(s) && !power.includes(s));
  return (
    <>
      {!samples.length && (
        <p className="pb-1 text-ink-2">
          {live ? 'Nothing has been read yet.' : 'Its controller has no accepted certificate, so nothing is read.'}
        </p>
      )}
      <div className="grid grid-cols-2 gap-4">
        {heat.length > 0 && <Lines title="Temperature, °C" series={heat} />}
        {power.length > 0 && <Lines title="Power, W" series={power} />}
      </div>
      <div className="flex items-center gap-4 pt-1 text-ink-2">
        {rest.map((s) => (
          <span key={s.name}>
            {s.name} {s.points.at(-1)?.[1]} {s.unit}
          </span>
        ))}
        {live && (
          <Button quiet className="ml-auto py-0!" disabled={read.isPending} onClick={() => read.mutate()}>
            Read now
          </Button>
        )}
      </div>
      <Refused error={read.error} />
    </>
  );
}

function Lines({ title, series }: { title: string; series: readonly Series[] }) {
  const drawn = useCallback(
    (colour: (n: string) => string): ChartConfiguration => ({
      type: 'line',
      data: {
        datasets: series.map((s, i) => ({
          label: s.name,
          data: s.points.map(([at, v]) => ({ x: Date.parse(at), y: v })),
          borderColor: colour(['--verdigris', '--plum', '--ochre', '--slate'][i % 4] as string),
          borderDash: dashes[i % 4] as number[],
          borderWidth: 1.5,
          pointRadius: s.points.length < 3 ? 2.5 : 0,
        })),
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        parsing: false,
        interaction: { mode: 'nearest', intersect: false },
        scales: {
          x: {
            type: 'linear',
            ticks: { color: colour('--ink-3'), maxTicksLimit: 4, callback: (v) => clock(Number(v)) },
            grid: { color: colour('--rule') },
          },
          y: { ticks: { color: colour('--ink-3'), maxTicksLimit: 4 }, grid: { color: colour('--rule') }, grace: '10%' },
        },
        plugins: { tooltip: { callbacks: { title: (items) => clock(items[0]?.parsed.x ?? 0) } } },
      },
    }),
    [series],
  );
  const now = series.map((s) => `${s.name} ${s.points.at(-1)?.[1] ?? '?'} ${s.unit}`).join(', ');
  return (
    <figure aria-label={title}>
      <Chart uses={uses} config={drawn} says={now} className="h-[120px]" />
      <figcaption className="text-ink-2 text-sm">{now}</figcaption>
    </figure>
  );
}
