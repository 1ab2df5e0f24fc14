import { BarController, BarElement, CategoryScale, type ChartConfiguration, LinearScale, Tooltip } from 'chart.js';

/** The parts of Chart.js that bars need. */
export const barParts = [BarController, BarElement, CategoryScale, LinearScale, Tooltip];

/** Bars that are stacked: what counts, and in red what should not be. */
export const stackedBars = (
  colour: (name: string) => string,
  labels: readonly string[],
  [good, bad]: readonly [{ label: string; data: number[] }, { label: string; data: number[] }],
): ChartConfiguration =>
  ({
    type: 'bar',
    data: {
      labels: [...labels],
      datasets: [
        { ...good, backgroundColor: colour('--verdigris'), stack: 'a' },
        { ...bad, backgroundColor: colour('--brick'), stack: 'a' },
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
  }) as ChartConfiguration<'bar'> as ChartConfiguration;
