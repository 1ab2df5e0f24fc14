import { date } from '../../parts/time.ts';
import { type ChartConfiguration, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { useCallback } from 'react';
import type { LevelsDto } from '../../api/queries.ts';
import { Chart } from '../../parts/Chart.tsx';

const uses = [LineController, LineElement, PointElement, LinearScale, Filler, Tooltip];

const longest = 5 * 365 * 86_400_000;

/** Held addresses over time, the line they were fitted with, and the span between its edges until the network is full. */
export default function Forecast({ data, name }: { data: LevelsDto; name: string }) {
  const drawn = useCallback((colour: (n: string) => string) => config(data, colour), [data]);
  const f = data.forecast;
  return (
    <figure aria-label={`Forecast of ${name}`} className="pt-2">
      <Chart
        uses={uses}
        config={drawn}
        says={`${data.levels.at(-1)?.taken ?? 0} of ${data.room} addresses reserved${f?.full ? `, full on ${date(Date.parse(f.full))}` : ''}`}
      />
      <figcaption className="text-ink-2 text-sm">
        {f
          ? `Fitted on ${date(Date.parse(f.from))} to ${date(Date.parse(f.to))}: ${f.perDay >= 0 ? '+' : ''}${(f.perDay * 30).toFixed(1)} addresses in 30 days. `
          : 'There is too little history to fit a line to. '}
        {f?.full
          ? `Full on ${date(Date.parse(f.full))}${f.earliest ? `, not before ${date(Date.parse(f.earliest))}` : ''}${f.latest ? `, at the latest ${date(Date.parse(f.latest))}` : ', or later'}, with one standard error.`
          : f
            ? 'At that rate it does not fill.'
            : ''}
      </figcaption>
    </figure>
  );
}

function config({ levels, room, forecast: f }: LevelsDto, colour: (n: string) => string): ChartConfiguration {
  const now = Date.now();
  const held = levels.map((l) => ({ x: Date.parse(l.at), y: l.taken }));
  const last = held.at(-1) ?? { x: now, y: 0 };
  held.push({ x: now, y: last.y });
  const end = Math.min(f?.full ? Date.parse(f.latest ?? f.full) : now, now + longest);
  // A far end would press what was into a corner: the axis goes twice as far ahead as it goes back.
  const shown = Math.min(end, now + 2 * (now - (held[0]?.x ?? now)));
  const to = (iso: string | undefined, open: boolean) =>
    iso
      ? [
          { x: now, y: last.y },
          { x: Date.parse(iso), y: room },
        ]
      : open
        ? [
            { x: now, y: last.y },
            { x: end, y: last.y },
          ]
        : [];
  const line = { borderWidth: 1.5, pointRadius: 0, fill: false as const };
  return {
    type: 'line',
    data: {
      datasets: [
        { ...line, label: 'reserved', data: held, borderColor: colour('--verdigris'), stepped: true },
        {
          ...line,
          label: 'as fitted',
          data: f?.full ? to(f.full, false) : [],
          borderColor: colour('--plum'),
          borderDash: [5, 4],
        },
        {
          ...line,
          label: 'at the earliest',
          data: to(f?.earliest, false),
          borderColor: colour('--plum'),
          borderWidth: 0.7,
          borderDash: [1, 3],
        },
        {
          ...line,
          label: 'at the latest',
          data: f?.full ? to(f.latest, true) : [],
          borderColor: colour('--plum'),
          borderWidth: 0.7,
          borderDash: [1, 3],
        },
      ],
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      parsing: false,
      interaction: { mode: 'nearest', intersect: false },
      scales: {
        x: {
          type: 'linear',
          min: held[0]?.x ?? now,
          max: Math.max(shown, now + 86_400_000),
          ticks: {
            color: colour('--ink-3'),
            maxTicksLimit: 7,
            callback: (v) => new Intl.DateTimeFormat('en-GB', { month: 'short', year: '2-digit' }).format(Number(v)),
          },
          grid: { color: colour('--rule') },
        },
        y: {
          min: 0,
          suggestedMax: shown < end ? Math.min(room, last.y + ((f?.perDay ?? 0) * 1.15 * (shown - now)) / 86_400_000) : room,
          ticks: { color: colour('--ink-3'), maxTicksLimit: 5 },
          grid: { color: colour('--rule') },
        },
      },
      plugins: { tooltip: { callbacks: { title: (items) => date(items[0]?.parsed.x ?? now) } } },
    },
  };
}
