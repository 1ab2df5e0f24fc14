import type { StoreRow } from '@praesidor/core/backup';
import { dayText, gigabytesText } from '@praesidor/core/words';
import { type ChartConfiguration, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { useCallback } from 'react';
import { Chart } from '../../parts/Chart.tsx';

const uses = [LineController, LineElement, PointElement, LinearScale, Filler, Tooltip];
const day = 86_400_000;

/** What will lie in a store once its plans run: it grows until as much is dropped as is added; and what it may hold. */
export default function FillChart({ row, zone }: { row: StoreRow; zone: string }) {
  const { store, fill, sumGB } = row;
  const drawn = useCallback((colour: (n: string) => string) => config(row, colour), [row]);
  const says = fill.fullAt
    ? `${store.name} is full on ${dayText(new Date(fill.fullAt).toISOString(), zone)}`
    : `${store.name} comes to ${gigabytesText(sumGB)}${store.sizeGB ? ` of ${gigabytesText(store.sizeGB)}` : ''}`;
  return (
    <figure className="pt-4">
      <figcaption className={fill.fullAt ? 'text-brick' : 'text-ink-2'}>
        {says}
        <span className="text-ink-2">, if its plans began now; days from today</span>
      </figcaption>
      <Chart uses={uses} config={drawn} says={says} className="h-[140px]" />
    </figure>
  );
}

function config({ store, fill }: StoreRow, colour: (n: string) => string): ChartConfiguration {
  const from = fill.points[0]?.at ?? 0;
  const last = fill.points.at(-1);
  const days = (at: number) => (at - from) / day;
  // A little further than it grows, so that it is seen to have come to rest.
  const end = Math.ceil(Math.max(7, days(last?.at ?? from) * 1.15));
  const line = { borderWidth: 1.5, pointRadius: 0 };
  return {
    type: 'line',
    data: {
      datasets: [
        {
          ...line,
          label: 'GB',
          data: [...fill.points.map((p) => ({ x: days(p.at), y: p.gb })), { x: end, y: last?.gb ?? 0 }],
          borderColor: colour('--plum'),
          backgroundColor: `color-mix(in srgb, ${colour('--plum')} 18%, transparent)`,
          fill: 'origin',
        },
        ...(store.sizeGB
          ? [
              {
                ...line,
                label: 'may hold',
                data: [
                  { x: 0, y: store.sizeGB },
                  { x: end, y: store.sizeGB },
                ],
                borderColor: colour('--brick'),
                borderDash: [5, 4],
                fill: false as const,
              },
            ]
          : []),
      ],
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      plugins: { tooltip: { enabled: false } },
      scales: {
        x: {
          type: 'linear',
          min: 0,
          max: end,
          ticks: { color: colour('--ink-3'), maxTicksLimit: 9, precision: 0 },
          grid: { display: false },
        },
        y: {
          min: 0,
          ticks: { color: colour('--ink-3'), maxTicksLimit: 5, callback: (v) => `${v} GB` },
          grid: { color: colour('--rule') },
        },
      },
    },
  } as ChartConfiguration;
}
