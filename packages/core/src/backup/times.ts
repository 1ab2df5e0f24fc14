import { Cron } from 'croner';
import { DateTime } from 'luxon';

const cron = (text: string, zone: string) => new Cron(text, { timezone: zone, paused: true, mode: '5-part' });

/**
 * The next times that a plan says (crontab(5)), in milliseconds since 1970. A local time that a day lacks, because clocks are put forward, is taken at the moment
 * when they are; one that comes twice, the first time.
 *
 * @param most how many are asked for at the most
 * @param until none at or after it
 */
export function timesAfter(text: string, zone: string, from: number, most: number, until = Number.POSITIVE_INFINITY): number[] {
  const out: number[] = [];
  const plan = cron(text, zone);
  let at: Date | null = new Date(from);
  while (out.length < most) {
    at = plan.nextRun(at);
    if (!at || at.getTime() >= until) break;
    out.push(at.getTime());
  }
  return out;
}

/** The next time; undefined: there is none (30 February). */
export const nextTime = (text: string, zone: string, from: number): number | undefined => timesAfter(text, zone, from, 1)[0];

const day = 86_400_000;

/** Moments from which on clocks of a zone have another offset, to the day. */
export function offsetChanges(zone: string, from: number, until: number): number[] {
  const out: number[] = [];
  let before = DateTime.fromMillis(from, { zone }).offset;
  for (let at = from + day; at < until; at += day) {
    const { offset } = DateTime.fromMillis(at, { zone });
    if (offset !== before) out.push(at);
    before = offset;
  }
  return out;
}

/** A day on which clocks change and a plan is touched by it. */
export interface ClockChange {
  /** Milliseconds since 1970 of the run that it touches. */
  at: number;
  /** Clocks are put forward past its time, or back so that its time comes twice. */
  is: 'lacking' | 'twice';
  /** In the zone: `02:30`, as it was planned. */
  planned: string;
  /** When it is done then. */
  done: string;
}

/** Days of a year from `from` on at which a plan that names an hour is done at another time than it says, or could be done twice. */
export function clockChanges(text: string, zone: string, from: number): ClockChange[] {
  const [minute = '', hour = ''] = text.trim().split(/\s+/);
  // One that names each hour or many minutes goes on through a change of clocks.
  if (!/^\d+$/.test(minute) || !/^[\d,]+$/.test(hour)) return [];
  const out: ClockChange[] = [];
  const clock = (d: DateTime) => d.toFormat('HH:mm');
  const wants = hour.split(',').map((h) => `${h.padStart(2, '0')}:${minute.padStart(2, '0')}`);
  for (const at of timesAfter(text, zone, from, 10_000, from + 366 * day)) {
    const local = DateTime.fromMillis(at, { zone });
    const done = clock(local);
    if (!wants.includes(done)) {
      // The latest that was meant before the clocks reached where they are now.
      const planned = wants.filter((w) => w < done).at(-1) ?? done;
      out.push({ at, is: 'lacking', planned, done });
    } else if (local.getPossibleOffsets().length > 1) out.push({ at, is: 'twice', planned: done, done });
  }
  return out;
}
