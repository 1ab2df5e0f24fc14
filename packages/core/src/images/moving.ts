import type { Registry } from '../model/documents.ts';
import { DateTime } from 'luxon';

/** A way by which bytes get to a site: how fast, and when it may be used (`01:00-05:00` in the site's zone; always otherwise). */
export interface Way {
  rateMbit: number;
  hours?: string | undefined;
}
/** A stretch of time in which the way is open, as ISO 8601 instants. */
export interface Open {
  from: string;
  to: string;
}
export interface Moving {
  /** When the last byte is there, to the minute (rounded up); undefined where it would take more than ten years. */
  end: string | undefined;
  /** Bytes in each opening that is used. */
  openings: (Open & { bytes: number })[];
  /** Minutes of moving, waiting left out. */
  minutes: number;
}

const tenYears = 3660;

/** The opening that a moment lies in, or else the next one. @throws Error when hours or zone cannot be read */
export function opening(hours: string, timezone: string, at: string): Open {
  for (const o of openings(hours, timezone, at)) return o;
  throw new Error(`${hours} never comes`);
}

/** Openings from a moment on, one a day; the first is cut to what is left of it. A day without an hour (clocks go forward) has a shorter one. */
function* openings(hours: string, timezone: string, at: string): Generator<Open> {
  const m = /^(\d\d):(\d\d)-(\d\d):(\d\d)$/.exec(hours);
  const now = DateTime.fromISO(at, { zone: timezone });
  if (!m || !now.isValid)
    throw new Error(m ? `${at} in ${timezone} is no time` : `${hours} are no hours; write them like 01:00-05:00`);
  const [h1, m1, h2, m2] = m.slice(1).map(Number) as [number, number, number, number];
  const over = h2 * 60 + m2 <= h1 * 60 + m1;
  const day = now.startOf('day');
  for (let n = -1; n < tenYears; n++) {
    const start = onTheClock(day.plus({ days: n }), h1, m1);
    const end = onTheClock(day.plus({ days: over ? n + 1 : n }), h2, m2);
    if (end <= now || end <= start) continue;
    const from = start < now ? now : start;
    yield { from: from.toUTC().toISO() as string, to: end.toUTC().toISO() as string };
  }
}

/**
 * The moment at which the clock of a day shows a time. One that the clock skips (02:30 where 02:00 is followed by 03:00)
 * is the moment of the skip: whoever waits for 02:30 goes when it has passed, not an hour later.
 */
function onTheClock(day: DateTime, hour: number, minute: number): DateTime {
  const at = day.set({ hour, minute });
  if (at.hour === hour && at.minute === minute) return at;
  // The offset changes between the two: the minute in which it does.
  let before = at.minus({ hours: 3 }).toMillis();
  let after = at.toMillis();
  const offset = (ms: number) => DateTime.fromMillis(ms, { zone: day.zone }).offset;
  while (after - before > 60_000) {
    const middle = before + Math.floor((after - before) / 120_000) * 60_000;
    if (middle === before) break;
    if (offset(middle) === at.offset) after = middle;
    else before = middle;
  }
  return DateTime.fromMillis(after, { zone: day.zone });
}

/** Whether bytes may move now, and when that changes next (never, where the way is always open). */
export function isOpen(way: Way, timezone: string, at: string): { open: boolean; until?: string } {
  if (!way.hours) return { open: true };
  const o = opening(way.hours, timezone, at);
  const open = Date.parse(o.from) <= Date.parse(at);
  return { open, until: open ? o.to : o.from };
}

/**
 * When `bytes` are there that begin to move `from` a moment on, at the way's rate and in its hours.
 *
 *     timeToMove(28.8e9, { rateMbit: 8, hours: '01:00-05:00' }, 'UTC', '2026-11-23T12:00:00Z')
 *     // 1 MB/s × 4 h = 14.4 GB a night: two nights, ends 2026-11-25T05:00:00Z
 */
export function timeToMove(bytes: number, way: Way, timezone: string, from: string): Moving {
  const perMs = (way.rateMbit * 1e6) / 8 / 1000;
  const minutes = Math.ceil(bytes / perMs / 60_000);
  const up = (ms: number) => new Date(Math.ceil(ms / 60_000) * 60_000).toISOString();
  if (!way.hours) {
    const end = up(Date.parse(from) + bytes / perMs);
    return { end, openings: bytes ? [{ from: new Date(from).toISOString(), to: end, bytes }] : [], minutes };
  }
  let left = bytes;
  const used: Moving['openings'] = [];
  if (!left) return { end: up(Date.parse(from)), openings: used, minutes };
  for (const o of openings(way.hours, timezone, from)) {
    const start = Date.parse(o.from);
    const take = Math.min(left, (Date.parse(o.to) - start) * perMs);
    left -= take;
    const to = left <= 0 ? up(start + take / perMs) : o.to;
    used.push({ from: o.from, to, bytes: Math.round(take) });
    if (left <= 0) return { end: to, openings: used, minutes };
  }
  return { end: undefined, openings: used, minutes };
}

/** Whether a shipment stays within one site: over its own network, whatever reaches the site from outside. */
export const staysWithin = (source: Pick<Registry, 'role' | 'site'>, target: Pick<Registry, 'site'>): boolean =>
  source.role !== 'source' && source.site === target.site;
