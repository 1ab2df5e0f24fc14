/** Times in the site's zone, with UTC on hover. */
export const clock = (iso: string | number, timeZone?: string) =>
  new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', ...(timeZone ? { timeZone } : {}) }).format(
    new Date(iso),
  );
export const clockSeconds = (iso: string | number, timeZone?: string) =>
  new Intl.DateTimeFormat('en-GB', {
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
    ...(timeZone ? { timeZone } : {}),
  }).format(new Date(iso));
/** 6 Dec; with its year where that is another one than now: 29 Dec 2027. */
export const day = (iso: string) => {
  const at = new Date(iso);
  return new Intl.DateTimeFormat('en-GB', {
    day: 'numeric',
    month: 'short',
    ...(at.getFullYear() === new Date().getFullYear() ? {} : { year: 'numeric' }),
  }).format(at);
};
export const utc = (iso: string | number) => `${new Date(iso).toISOString().replace('T', ' ').slice(0, 19)} UTC`;
/** 6 min 25 s, 41 s, 1 h 12 min. */
export function span(ms: number): string {
  const s = Math.max(0, Math.round(ms / 1000));
  return s < 100
    ? `${s} s`
    : s < 3600
      ? `${Math.floor(s / 60)} min${s % 60 && s < 600 ? ` ${s % 60} s` : ''}`
      : `${Math.floor(s / 3600)} h ${Math.round((s % 3600) / 60)} min`;
}
