import { DateTime } from 'luxon';

/** A moment (ISO 8601) by the clock of a site, without its day: `09:38`. @param zone IANA name of its time zone */
export const clockText = (at: string, zone: string): string => DateTime.fromISO(at, { zone, locale: 'en' }).toFormat('HH:mm');

/** A day by the calendar of a site: `29 Nov 2026`. */
export const dayText = (at: string, zone: string): string => DateTime.fromISO(at, { zone, locale: 'en' }).toFormat('d MMM yyyy');

/** A day and the time of it: `29 Nov 2026, 09:38`. */
export const momentText = (at: string, zone: string): string => `${dayText(at, zone)}, ${clockText(at, zone)}`;
