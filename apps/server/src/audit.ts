import type { ActName } from '@praesidor/core/access';
import type { NoticeAbout } from '@praesidor/core/notices';
import type { Change } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { type Asking, asking } from './auth/asking.ts';
import { publishTransient } from './events/bus.ts';
import { listText } from './compute/turns.ts';

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
  /** Who is to be told of it: what it is about, and at which site. */
  told: { about?: NoticeAbout; site?: string; undoes?: number } = {},
): Promise<number> {
  const rows = (await m.query(
    'insert into audit (who, act, subject, detail, changes, under, about, site, token, address, undoes) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning id',
    [
      who,
      act,
      subject.slice(0, 300),
      JSON.stringify(detail),
      changes?.length ? await listText(changes) : null,
      under,
      told.about ?? null,
      told.site ?? null,
      asking()?.token ?? null,
      asking()?.address ?? null,
      told.undoes ?? null,
    ],
  )) as { id: string }[];
  await publishTransient(m, 'Act', rows[0]?.id ?? '');
  return Number(rows[0]?.id);
}

/** What is recorded of one of several acts that end in one commit. */
export interface Recorded {
  who: string;
  act: string;
  subject: string;
  changes: readonly Change[];
  under: ActName;
  /** From where it was asked: several that end in one commit were not asked by one. */
  asked: Asking | undefined;
}

/** Records several acts in one statement. Answers their numbers, in their order. */
export async function recordAll(m: EntityManager, acts: readonly Recorded[]): Promise<number[]> {
  const rows = (await m.query(
    `with given as materialized (
       select n, nextval(pg_get_serial_sequence('audit', 'id')) as id, who, act, subject, changes, under, token, address
       from unnest($1::text[], $2::text[], $3::text[], $4::jsonb[], $5::text[], $6::text[], $7::text[]) with ordinality g(who, act, subject, changes, under, token, address, n)),
     put as (insert into audit (id, who, act, subject, detail, changes, under, token, address) select id, who, act, subject, '{}', changes, under, token, address from given)
     select id::int as id from given order by n`,
    [
      acts.map((a) => a.who),
      acts.map((a) => a.act),
      acts.map((a) => a.subject.slice(0, 300)),
      await Promise.all(acts.map((a) => (a.changes.length ? listText(a.changes) : null))),
      acts.map((a) => a.under),
      acts.map((a) => a.asked?.token ?? null),
      acts.map((a) => a.asked?.address ?? null),
    ],
  )) as { id: number }[];
  await publishTransient(m, 'Act', String(rows[0]?.id ?? ''));
  return rows.map((r) => r.id);
}
