import type { ActName } from '@praesidor/core/access';
import type { Change } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { listText } from './heavy/turns.ts';

/**
 * Records who did what; with `changes` the act can be undone by whoever may do what it was done `under`. Answers the
 * record's number.
 */
export async function record(
  m: EntityManager,
  who: string,
  act: string,
  subject: string,
  detail: object = {},
  changes?: readonly Change[],
  under: ActName = 'plan.edit',
): Promise<number> {
  const rows = (await m.query(
    'insert into audit (who, act, subject, detail, changes, under) values ($1, $2, $3, $4, $5, $6) returning id',
    [who, act, subject.slice(0, 300), JSON.stringify(detail), changes?.length ? await listText(changes) : null, under],
  )) as { id: string }[];
  return Number(rows[0]?.id);
}
