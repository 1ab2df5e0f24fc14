import { secondsText } from '@praesidor/core/words';

/** Where moments lie on a line: the first seconds have as much room as later minutes, and what never ends goes to its end. */
export interface Scale {
  /** Share of the line, 0 to 1; undefined is its end. */
  at: (ms: number | undefined) => number;
  ticks: { at: number; text: string }[];
}
/** What a letter of a tick takes, as a share of the narrowest line; ticks stand in the middle of their moments. */
const letter = 0.0128;
/** Milliseconds at which the scale bends: below it is even, above it is logarithmic. */
const bend = 20_000;

/** A scale for the moments of a loss, with a tick at those that are far enough from the one before. */
export function scaleOf(moments: readonly number[]): Scale {
  const all = [...new Set(moments)].filter((m) => m > 0).sort((a, b) => a - b);
  // Behind the last there is room for what stays.
  const end = (all.at(-1) ?? 60_000) * 1.6;
  const length = Math.log1p(end / bend);
  const at = (ms: number | undefined) => (ms === undefined ? 1 : Math.min(1, Math.log1p(Math.max(0, ms) / bend) / length));
  const ticks = [{ at: 0, text: '0' }];
  for (const m of all) {
    const place = at(m);
    const text = secondsText(m / 1000);
    const last = ticks.at(-1) as { at: number; text: string };
    const room = ((text.length + last.text.length) / 2 + 1) * letter;
    if (place - last.at >= room && place <= 1 - (text.length / 2) * letter) ticks.push({ at: place, text });
  }
  return { at, ticks };
}
