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

/** Days between two looks at the clocks of a zone: none changes them twice in a week. */
const apart = 7;
/** Moments from which on clocks of a zone have another offset, to the day. */
export function offsetChanges(zone: string, from: number, until: number): number[] {
  const out: number[] = [];
  const offset = (days: number) => DateTime.fromMillis(from + days * day, { zone }).offset;
  const last = Math.ceil((until - from) / day) - 1;
  let before = offset(0);
  for (let n = 0; n < last; n += apart) {
    const end = Math.min(last, n + apart);
    const then = offset(end);
    if (then === before) continue;
    // In that week: the first day that has it.
    let [has, hasNot] = [end, n];
    while (has - hasNot > 1) {
      const middle = (has + hasNot) >> 1;
      if (offset(middle) === then) has = middle;
      else hasNot = middle;
    }
    out.push(from + has * day);
    before = then;
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
  // Around each change alone: on all other days a plan is done when it says.
  const around = offsetChanges(zone, from - day, from + 368 * day).flatMap((change) =>
    timesAfter(text, zone, Math.max(from, change - 2 * day), 1000, Math.min(from + 366 * day, change + day)),
  );
  for (const at of around) {
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
