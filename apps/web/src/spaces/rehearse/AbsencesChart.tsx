import { absencesOf, type Verdict } from '@praesidor/core/rehearse';
import { BarController, BarElement, CategoryScale, type ChartConfiguration, LinearScale, Tooltip } from 'chart.js';
import { useCallback, useMemo } from 'react';
import { Chart } from '../../parts/Chart.tsx';

const uses = [BarController, BarElement, CategoryScale, LinearScale, Tooltip];

/** All cases by their longest absence: how many are short, and how many do not mend themselves. */
export function AbsencesChart({ cases }: { cases: readonly Verdict[] }) {
  const list = useMemo(() => absencesOf(cases), [cases]);
  const drawn = useCallback(
    (colour: (n: string) => string): ChartConfiguration<'bar'> => ({
      type: 'bar',
      data: {
        labels: list.map((a) => a.label),
        datasets: [
          { label: 'mends itself', data: list.map((a) => a.mends), backgroundColor: colour('--verdigris'), stack: 'a' },
          { label: 'does not', data: list.map((a) => a.stays), backgroundColor: colour('--brick'), stack: 'a' },
        ],
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        scales: {
          x: { ticks: { color: colour('--ink-3') }, grid: { display: false } },
          y: { ticks: { color: colour('--ink-3'), maxTicksLimit: 4, precision: 0 }, grid: { color: colour('--rule') } },
        },
        datasets: { bar: { maxBarThickness: 34 } },
      },
    }),
    [list],
  ) as (colour: (n: string) => string) => ChartConfiguration;
  return (
    <figure className="pt-2">
      <figcaption className="text-ink-2">
        Cases by their longest absence; <span className="text-brick">in red</span>, something does not come back by itself
      </figcaption>
      <Chart
        uses={uses}
        config={drawn}
        says={list.map((a) => `${a.label}: ${a.mends + a.stays}`).join(', ')}
        className="h-[120px]"
      />
    </figure>
  );
}
