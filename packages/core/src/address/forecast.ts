/** How many addresses of a network were reserved at a moment (ISO 8601). */
export interface Level {
  at: string;
  taken: number;
}

export interface Forecast {
  /** The moments that the line was fitted on. */
  from: string;
  to: string;
  /** Addresses a day, by least squares. */
  perDay: number;
  /** When the network is full at that rate; none when it does not fill, or not within a hundred years. */
  full?: string;
  /** The same at the edges of one standard error of the rate: it fills between these, or `latest` is open. */
  earliest?: string;
  latest?: string;
}

const day = 86_400_000;
const century = 36_525;

/**
 * When a network is full, from its levels over time: a straight line by least squares, and its rate one standard
 * error up and down. Undefined where there is nothing to fit: fewer than three levels, or all within a day.
 * `room` is how many addresses the network can hold in all; `now` is where the time to come begins.
 */
export function forecast(levels: readonly Level[], room: number, now: string): Forecast | undefined {
  const points = levels.map((l) => ({ x: Date.parse(l.at) / day, y: l.taken })).sort((a, b) => a.x - b.x);
  const [first, last] = [points[0], points.at(-1)];
  if (!first || !last || points.length < 3 || last.x - first.x < 1) return undefined;
  const n = points.length;
  const mx = points.reduce((s, p) => s + p.x, 0) / n;
  const my = points.reduce((s, p) => s + p.y, 0) / n;
  const sxx = points.reduce((s, p) => s + (p.x - mx) ** 2, 0);
  const perDay = points.reduce((s, p) => s + (p.x - mx) * (p.y - my), 0) / sxx;
  const residual = points.reduce((s, p) => s + (p.y - my - perDay * (p.x - mx)) ** 2, 0);
  const error = Math.sqrt(residual / (n - 2) / sxx);
  const today = Date.parse(now) / day;
  const when = (rate: number): string | undefined => {
    const days = (room - last.y) / rate;
    return rate > 0 && days < century ? new Date((today + Math.max(0, days)) * day).toISOString() : undefined;
  };
  const [full, earliest, latest] = [when(perDay), when(perDay + error), when(perDay - error)];
  return {
    from: new Date(first.x * day).toISOString(),
    to: new Date(last.x * day).toISOString(),
    perDay,
    ...(full ? { full } : {}),
    ...(earliest ? { earliest } : {}),
    ...(latest ? { latest } : {}),
  };
}
