import { counted, secondsText } from '../words/amounts.ts';

/** A copy of a volume as its driver tells it; times in milliseconds. */
export interface CopyAsIs {
  host: string;
  /** It has all that was written; takes in what it lacks; lacks something; is on a host that does not answer; is not there any more. */
  state: 'current' | 'filling' | 'behind' | 'silent' | 'gone';
  age: number;
  from?: string | undefined;
  filled?: number | undefined;
  of?: number | undefined;
  left?: number | undefined;
  why?: string | undefined;
}
/** A volume as it is: the hosts that it lies on where it lies on some alone, or its copies. */
export interface VolumeAsIs {
  name: string;
  lies: readonly string[];
  copies?: readonly CopyAsIs[] | undefined;
  /** Copies that its class asks for. */
  wanted?: number | undefined;
}

const time = (ms: number) => secondsText(Math.round(ms / 1000));

/** What a copy is, in words after its host. */
export function copyText(c: CopyAsIs): string {
  const why = c.why ? `: ${c.why}` : '';
  switch (c.state) {
    case 'current':
      return 'whole';
    case 'filling': {
      const part = c.of ? `${Math.floor((100 * (c.filled ?? 0)) / c.of)} % ` : '';
      return `rebuilds${c.from ? ` from ${c.from}` : ''}, ${part}done${c.left === undefined ? '' : `, ${time(c.left)} left`}`;
    }
    case 'behind':
      return `lacks the last writes, and no host that has them answers${why}`;
    case 'silent':
      return `does not answer for ${time(c.age)}${why}`;
    case 'gone':
      return `has lost its copy${why}`;
  }
}

/** How many copies of a volume are whole, of how many; until when the rest are rebuilt, where that is known. Undefined: it has none that are told. */
export function wholeOf(v: VolumeAsIs): { whole: number; of: number; left: number | undefined } | undefined {
  if (!v.copies) return undefined;
  const rest = v.copies.filter((c) => c.state !== 'current');
  const left = rest.length && rest.every((c) => c.left !== undefined) ? Math.max(...rest.map((c) => c.left ?? 0)) : undefined;
  return { whole: v.copies.length - rest.length, of: Math.max(v.wanted ?? 0, 1), left };
}

/**
 * What became of the data of a volume of which no copy is whole: whether hosts may bring them back, and what a backup has. Undefined: one is whole, or it has none that are told.
 *
 * @param newest of when its newest backup is, in words
 */
export function unreachable(v: VolumeAsIs, newest: string | undefined): string | undefined {
  const is = wholeOf(v);
  if (!is || is.whole) return undefined;
  if (!v.copies?.length) return 'it lies on no host yet';
  const away = v.copies.filter((c) => c.state === 'silent').map((c) => c.host);
  const backup = newest
    ? `what was written after the newest backup, of ${newest}, is lost`
    : 'all of it is lost: it has no backup';
  return away.length
    ? `no host that answers has all of it; ${away.join(' or ')} may. If ${away.length === 1 ? 'that is' : 'those are'} lost for good, ${backup}`
    : `every copy is gone or lacks the last writes; ${backup}`;
}

/** Whether a volume lies on a host, and on no other that stays: it goes elsewhere by nobody's doing but a person's. */
export const liesAlone = (v: VolumeAsIs, host: string, going: readonly string[]): boolean =>
  v.lies.includes(host) && v.lies.every((h) => going.includes(h));

/**
 * What would be lost, or could not be reached, without a host: a volume that has its only whole copy there; and where it goes for good, one that lies there alone, or has too few whole copies
 * on hosts that stay.
 *
 * @param forGood where it goes for good: all hosts that do, and how many stay that copies may lie on, which are ready
 */
export function keptBy(
  volumes: readonly VolumeAsIs[],
  host: string,
  forGood?: { going: readonly string[]; places: number },
): string[] {
  const goes = forGood?.going ?? [host];
  return volumes.flatMap((v): string[] => {
    if (forGood && liesAlone(v, host, goes)) return [`${v.name} lies on ${host} alone`];
    if (!v.copies?.some((c) => c.host === host && c.state !== 'gone')) return [];
    const elsewhere = v.copies.filter((c) => !goes.includes(c.host));
    const whole = elsewhere.filter((c) => c.state === 'current').length;
    // Where fewer hosts stay than it asks for, more are not waited for.
    const of = Math.max(1, Math.min(v.wanted ?? 1, forGood?.places ?? Number.POSITIVE_INFINITY));
    const next = elsewhere.find((c) => c.state === 'filling');
    const rebuilds = next ? `; ${next.host} ${copyText(next)}` : '';
    if (forGood) return whole >= of ? [] : [`${v.name} has ${whole} of ${counted(of, 'copy', 'copies')} elsewhere${rebuilds}`];
    const here = v.copies.some((c) => c.host === host && c.state === 'current');
    // What has one copy is away each time that its host is started anew: that was said before the change was begun.
    return here && of > 1 && !whole ? [`${v.name} has its only whole copy on ${host}${rebuilds}`] : [];
  });
}
