/**
 * Times as people read them: in the zone of the site that the page is about, one zone on a page; the exact moment in UTC shows on hover.
 */
let here: string | undefined;
/** Sets the zone of all times from now on: that of the site in scope. @param zone IANA name */
export const setZone = (zone: string | undefined): void => {
  here = zone;
};
/** The zone in force; the browser's until a site is known. */
export const zoneName = (): string => here ?? Intl.DateTimeFormat().resolvedOptions().timeZone;

const formats = new Map<string, Intl.DateTimeFormat>();
/** Making a format takes as long as fifty uses of it. */
function format(zone: string | undefined, of: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = `${zone}${JSON.stringify(of)}`;
  let f = formats.get(key);
  if (!f) {
    f = new Intl.DateTimeFormat('en-GB', { ...of, ...(zone ? { timeZone: zone } : {}) });
    formats.set(key, f);
  }
  return f;
}
const minutes = { hour: '2-digit', minute: '2-digit' } as const;
const dayMonth = { day: 'numeric', month: 'short' } as const;
const withYear = { ...dayMonth, year: 'numeric' } as const;
const year = (at: Date, zone?: string) => format(zone, { year: 'numeric' }).format(at);

/** 02:30. @param at as ISO 8601 or in milliseconds since the epoch */
export const clock = (at: string | number, zone = here) => format(zone, minutes).format(new Date(at));
/** 02:30–04:10; nothing where both are the same minute. */
export const clocks = (from: number, to: number): string => (clock(from) === clock(to) ? '' : `${clock(from)}–${clock(to)}`);
/** 02:30:41. */
export const clockSeconds = (at: string | number, zone = here) =>
  format(zone, { ...minutes, second: '2-digit' }).format(new Date(at));
/** 6 Dec 2026. */
export const date = (at: string | number, zone = here) => format(zone, withYear).format(new Date(at));
/** 6 Dec; with its year where that is another one than now: 29 Dec 2027. */
export const day = (at: string | number, zone = here) =>
  format(zone, year(new Date(at), zone) === year(new Date(), zone) ? dayMonth : withYear).format(new Date(at));
/** 02:30 of today, 6 Dec 02:30 of another day. */
export const when = (at: string | number, zone = here) =>
  date(at, zone) === date(Date.now(), zone) ? clock(at, zone) : `${day(at, zone)} ${clock(at, zone)}`;
export const utc = (at: string | number) => `${new Date(at).toISOString().replace('T', ' ').slice(0, 19)} UTC`;
/** 6 min 25 s, 41 s, 1 h 12 min. */
export function span(ms: number): string {
  const s = Math.max(0, Math.round(ms / 1000));
  return s < 100
    ? `${s} s`
    : s < 3600
      ? `${Math.floor(s / 60)} min${s % 60 && s < 600 ? ` ${s % 60} s` : ''}`
      : `${Math.floor(s / 3600)} h ${Math.round((s % 3600) / 60)} min`;
}
