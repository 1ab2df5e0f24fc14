import type { WhatChanged } from '@praesidor/contract';
import { type ActOnRecord, netChanges } from '@praesidor/core/since';
import type { EntityManager } from 'typeorm';
import type { Change } from '@praesidor/core/model';

/** Documents of one act that are opened at the most: what brought more is told as an act, with how many. */
const mostOfOne = 500;
/** Documents that are opened at the most, the newest acts first, and acts that are told. */
const mostDocuments = 3000;
const mostActs = 200;

/**
 * What happened since a moment, or since the last visit of `login` ended: what became of the plan, and the acts that are no part of
 * that, newest first. What somebody did alone is left out; how work ended that they began is not.
 */
export async function whatChanged(m: EntityManager, login: string, from?: string): Promise<WhatChanged> {
  const [visit] = (await m.query('select left_at as left, now() from account where login = $1', [login])) as {
    left: Date | null;
    now: Date;
  }[];
  const since = from ?? visit?.left?.toISOString() ?? null;
  const now = visit?.now ?? new Date();
  if (since === null) return { from: null, now: now.toISOString(), plan: [], acts: [], more: 0, unread: 0 };
  const rows = (await m.query(
    `with told as (
       select id, at, who, act, subject, about, site, changes, coalesce(jsonb_array_length(changes), 0) as documents from audit
       where at >= $1 and act not in ('signed in', 'signed out')),
     counted as (
       select *, documents <= $2 as small, sum(documents) filter (where documents <= $2) over (order by id desc) as upto from told)
     select id::int as id, at, who, act, subject, about, site, documents, small and documents > 0 and upto <= $3 as opened,
       case when small and upto <= $3 then changes end as changes from counted order by id desc limit 20000`,
    [since, mostOfOne, mostDocuments],
  )) as (Omit<WhatChanged['acts'][number], 'at'> & { at: Date; opened: boolean; changes: Change[] | null })[];
  const opened = rows.filter((r) => r.opened);
  const plan = netChanges(
    opened.map((r): ActOnRecord => ({ at: r.at.toISOString(), who: r.who, changes: r.changes ?? [] })).reverse(),
    login,
  );
  const acts = rows.filter((r) => !r.opened && (r.who !== login || r.about !== null));
  return {
    from: since,
    now: now.toISOString(),
    plan,
    acts: acts.slice(0, mostActs).map(({ opened: _, changes: __, at, ...a }) => ({ ...a, at: at.toISOString() })),
    more: Math.max(0, acts.length - mostActs),
    unread: rows.filter((r) => r.documents > 0 && !r.opened && r.who !== login).reduce((n, r) => n + r.documents, 0),
  };
}
