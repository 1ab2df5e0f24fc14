import { includes, mostTokenDays, type Rights, roleAnywhere, tokenActsOf } from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import { hashed, newToken } from '../../auth/seal.ts';
import { tokenPrefix } from '../../auth/tokens.ts';
import { Refusal } from '../../refusal.ts';

export interface TokenView {
  id: string;
  name: string;
  acts: string[];
  sites: string[] | null;
  team: string | null;
  madeAt: Date;
  endsAt: Date;
  usedAt: Date | null;
  usedFrom: string | null;
}

/** Tokens of somebody, those that have ended too, until they are taken away. */
export const tokensOf = async (m: EntityManager, login: string): Promise<TokenView[]> =>
  (await m.query(
    'select id, name, acts, sites, team, made_at as "madeAt", ends_at as "endsAt", used_at as "usedAt", used_from as "usedFrom" from token where login = $1 order by made_at desc, name',
    [login],
  )) as TokenView[];

/** Tokens that somebody may have at a time. */
const mostTokens = 50;

/** Makes a token for some of what somebody may do. @returns the token, which is told once and kept nowhere @throws Refusal */
export async function makeToken(
  m: EntityManager,
  who: Rights & { login: string },
  asked: {
    name: string;
    acts: readonly string[];
    days: number;
    sites?: readonly string[] | undefined;
    team?: string | undefined;
  },
): Promise<{ id: string; token: string; endsAt: Date }> {
  const { login } = who;
  const role = roleAnywhere(who);
  const may: readonly string[] = tokenActsOf(role);
  const more = asked.acts.filter((a) => !may.includes(a));
  if (more.length)
    throw new Refusal('not-allowed', `${login} is ${role}: a token of ${login} is not made for ${more.join(', ')}.`, {
      remedy: 'Leave that out, or have somebody make it who may do that.',
      places: [{ path: 'acts', message: `more than ${login} may` }],
    });
  await refuseStrange(m, who, asked);
  // One at a time for each person: two at once would not see each other.
  await m.query('select 1 from account where login = $1 for update', [login]);
  const [{ n } = { n: 0 }] = (await m.query('select count(*)::int as n from token where login = $1', [login])) as { n: number }[];
  if (n >= mostTokens)
    throw new Refusal('not-now', `${login} has ${n} tokens: that is as many as one may have.`, {
      remedy: 'End those that nobody uses.',
    });
  const token = tokenPrefix + newToken();
  const [row] = (await m.query(
    `insert into token (login, name, token_hash, acts, ends_at, sites, team) values ($1, $2, $3, $4, now() + make_interval(days => $5), $6, $7)
     on conflict (login, name) do nothing returning id, ends_at as "endsAt"`,
    [
      login,
      asked.name,
      hashed(token),
      [...new Set(asked.acts)].sort(),
      Math.min(asked.days, mostTokenDays),
      asked.sites ?? null,
      asked.team ?? null,
    ],
  )) as { id: string; endsAt: Date }[];
  if (!row)
    throw new Refusal('conflict', `${login} has a token ${asked.name} already.`, {
      remedy: 'Choose another name, or end that one.',
      places: [{ path: 'name', message: 'taken' }],
    });
  await record(m, login, 'made a token', asked.name, {
    acts: asked.acts,
    ends: row.endsAt,
    ...(asked.sites ? { sites: asked.sites } : {}),
    ...(asked.team ? { team: asked.team } : {}),
  });
  return { ...row, token };
}

/** @throws Refusal where a token is to be kept to what is not there, or to a team that its person is not in */
async function refuseStrange(
  m: EntityManager,
  who: Rights & { login: string },
  asked: { sites?: readonly string[] | undefined; team?: string | undefined },
): Promise<void> {
  const sites = asked.sites ?? [];
  const known = ((await m.query('select key from site where key = any($1)', [sites])) as { key: string }[]).map((r) => r.key);
  const strange = sites.find((s) => !known.includes(s));
  if (strange)
    throw new Refusal('invalid', `There is no site ${strange}.`, { places: [{ path: 'sites', message: 'not declared' }] });
  if (asked.team === undefined) return;
  const [team] = (await m.query('select key from team where key = $1', [asked.team])) as unknown[];
  if (!team)
    throw new Refusal('invalid', `There is no team ${asked.team}.`, { places: [{ path: 'team', message: 'not declared' }] });
  if (!who.teams?.includes(asked.team) && !includes(who.role, 'warden'))
    throw new Refusal('not-allowed', `${who.login} is not in the team ${asked.team}.`, { remedy: 'Ask a warden.' });
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
