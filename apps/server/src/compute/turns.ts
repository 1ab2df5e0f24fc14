import { setImmediate } from 'node:timers/promises';

/**
 * Work on a long list, some at a time, so that whoever else asks is answered in between. Answers what each part gave, joined.
 */
export async function inTurns<T, R>(list: readonly T[], work: (part: readonly T[]) => readonly R[], size = 50): Promise<R[]> {
  const out: R[] = [];
  for (let at = 0; at < list.length; at += size) {
    if (at) await setImmediate();
    for (const r of work(list.slice(at, at + size))) out.push(r);
  }
  return out;
}

/** A list as JSON text, made in turns. */
export const listText = async <T>(list: readonly T[], each: (item: T) => unknown = (item) => item): Promise<string> =>
  `[${(await inTurns(list, (part) => part.map((item) => JSON.stringify(each(item))))).join(',')}]`;
