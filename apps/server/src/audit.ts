import type { EntityManager } from 'typeorm';
import type { Edit } from '@praesidor/core/model';

/** Records who did what; with `inverse` the act can be undone. Answers the record's number. */
export async function record(
  m: EntityManager,
  who: string,
  act: string,
  subject: string,
  detail: object = {},
  inverse?: Edit[],
): Promise<number> {
  const rows = (await m.query('insert into audit (who, act, subject, detail, inverse) values ($1, $2, $3, $4, $5) returning id', [
    who,
    act,
    subject,
    JSON.stringify(detail),
    inverse ? JSON.stringify(inverse) : null,
  ])) as { id: string }[];
  return Number(rows[0]?.id);
}
