import { mostTokenDays, tokenActsOf, type Role } from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import { hashed, newToken } from '../../auth/seal.ts';
import { tokenPrefix } from '../../auth/tokens.ts';
import { Refusal } from '../../refusal.ts';

export interface TokenView {
  id: string;
  name: string;
  acts: string[];
  madeAt: Date;
  endsAt: Date;
  usedAt: Date | null;
  usedFrom: string | null;
}

/** Tokens of somebody, those that have ended too, until they are taken away. */
export const tokensOf = async (m: EntityManager, login: string): Promise<TokenView[]> =>
  (await m.query(
    'select id, name, acts, made_at as "madeAt", ends_at as "endsAt", used_at as "usedAt", used_from as "usedFrom" from token where login = $1 order by made_at desc, name',
    [login],
  )) as TokenView[];

/** Tokens that somebody may have at a time. */
const mostTokens = 50;

/** Makes a token for some of what somebody may do. @returns the token, which is told once and kept nowhere @throws Refusal */
export async function makeToken(
  m: EntityManager,
  { login, role }: { login: string; role: Role },
  asked: { name: string; acts: readonly string[]; days: number },
): Promise<{ id: string; token: string; endsAt: Date }> {
  const may: readonly string[] = tokenActsOf(role);
  const more = asked.acts.filter((a) => !may.includes(a));
  if (more.length)
    throw new Refusal('not-allowed', `${login} is ${role}: a token of ${login} is not made for ${more.join(', ')}.`, {
      remedy: 'Leave that out, or have somebody make it who may do that.',
      places: [{ path: 'acts', message: `more than ${login} may` }],
    });
  // One at a time for each person: two at once would not see each other.
  await m.query('select 1 from account where login = $1 for update', [login]);
  const [{ n } = { n: 0 }] = (await m.query('select count(*)::int as n from token where login = $1', [login])) as { n: number }[];
  if (n >= mostTokens)
    throw new Refusal('not-now', `${login} has ${n} tokens: that is as many as one may have.`, {
      remedy: 'End those that nobody uses.',
    });
  const token = tokenPrefix + newToken();
  const [row] = (await m.query(
    `insert into token (login, name, token_hash, acts, ends_at) values ($1, $2, $3, $4, now() + make_interval(days => $5))
     on conflict (login, name) do nothing returning id, ends_at as "endsAt"`,
    [login, asked.name, hashed(token), [...new Set(asked.acts)].sort(), Math.min(asked.days, mostTokenDays)],
  )) as { id: string; endsAt: Date }[];
  if (!row)
    throw new Refusal('conflict', `${login} has a token ${asked.name} already.`, {
      remedy: 'Choose another name, or end that one.',
      places: [{ path: 'name', message: 'taken' }],
    });
  await record(m, login, 'made a token', asked.name, { acts: asked.acts, ends: row.endsAt });
  return { ...row, token };
}

/** Ends a token: from then on nothing is answered to it. */
export async function endToken(m: EntityManager, login: string, id: string, who: string): Promise<void> {
  const [row] = (await m.query('with d as (delete from token where login = $1 and id = $2 returning name) select name from d', [
    login,
    id,
  ])) as { name: string }[];
  if (!row) throw new Refusal('not-found', 'That token has been ended already.');
  await record(m, who, 'ended a token', row.name, who === login ? {} : { of: login });
}
