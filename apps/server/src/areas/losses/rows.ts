import type { SeenLosses, TriedLoss } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';

const seen = async (m: EntityManager, charter: string): Promise<SeenLosses> =>
  ((await m.query("select data from observation where kind = 'losses' and subject = $1", [charter])) as { data: SeenLosses }[])[0]
    ?.data ?? { cases: {} };

/** What came of the last trial of a loss takes the place of the one before. */
export async function keepLoss(m: EntityManager, charter: string, lost: string, tried: TriedLoss): Promise<void> {
  const before = await seen(m, charter);
  await observe(m, 'losses', charter, { cases: { ...before.cases, [lost]: tried } } satisfies SeenLosses);
  await tell(m, 'SeenLosses', charter);
}
/** All are ready again. */
export async function noteBack(m: EntityManager, charter: string, lost: string, ms: number): Promise<void> {
  const tried = (await seen(m, charter)).cases[lost];
  if (tried) await keepLoss(m, charter, lost, { ...tried, back: ms });
}
/** What was seen once it was back. */
export async function noteLine(m: EntityManager, charter: string, lost: string, line: TriedLoss['lines'][number]): Promise<void> {
  const tried = (await seen(m, charter)).cases[lost];
  if (tried) await keepLoss(m, charter, lost, { ...tried, lines: [...tried.lines.filter((l) => l.what !== line.what), line] });
}
