import { randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import { type Role, roles, type SignInWay } from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import { invite } from './invitations.ts';
import { refuseGuessed, signsInWithPassword } from './passwords.ts';
import { rightsOf } from '../../access/permit.ts';
import { Refusal } from '../../refusal.ts';

export interface AccountView {
  login: string;
  name: string;
  role: Role;
  sites: Record<string, Role>;
  teams: string[];
  disabled: boolean;
  signIn: SignInWay;
  bound: boolean;
  changedAt: Date;
  /** How many browsers are signed in, and when the last one asked for something. */
  sessions: number;
  lastSeen: Date | null;
}
export interface SessionView {
  id: string;
  createdAt: Date;
  seenAt: Date;
  expiresAt: Date;
  address: string;
  agent: string;
  /** The one that asks. */
  own: boolean;
}

/** A password that can be read over the telephone: 100 bits in five groups, without letters that look alike. */
export function newPassword(): string {
  const letters = 'abcdefghjkmnpqrstuvwxyz23456789';
  const word = Array.from(randomBytes(20), (b) => letters[b % letters.length]).join('');
  return (word.match(/.{4}/g) as string[]).join('-');
}

export async function listAccounts(m: EntityManager): Promise<AccountView[]> {
  return (await m.query(
    `select a.login, a.name, ${rightsOf('a')}, a.disabled, a.sign_in as "signIn", a.subject is not null as bound, a.changed_at as "changedAt", count(s.id)::int as sessions, max(s.seen_at) as "lastSeen"
     from account a left join session s on s.login = a.login and s.expires_at > now() group by a.login order by a.login`,
  )) as AccountView[];
}

interface Account {
  login: string;
  name: string;
  role: Role;
  sites: Record<string, Role>;
  teams: string[];
  disabled: boolean;
  signIn: SignInWay;
  hash: string;
}
/** The account, locked; with it all wardens, so that two cannot take the last one's role at once. */
async function lockAccount(m: EntityManager, login: string): Promise<Account> {
  const rows = (await m.query(
    `select login, name, ${rightsOf('account')}, disabled, sign_in as "signIn", password_hash as hash from account where login = $1 or role = 'warden' order by login for update`,
    [login],
  )) as Account[];
  const found = rows.find((r) => r.login === login);
  if (!found) throw new Refusal('not-found', `There is no account ${login}.`);
  return found;
}

/** @throws Refusal when nobody would be left who manages accounts */
async function keepAWarden(m: EntityManager): Promise<void> {
  const [{ n } = { n: 0 }] = (await m.query(
    "select count(*)::int as n from account where role = 'warden' and not disabled and sign_in <> 'provider'",
  )) as {
    n: number;
  }[];
  if (!n)
    throw new Refusal(
      'not-now',
      'It is the last warden who signs in with a password: nobody could manage accounts while the sign-in provider is away.',
      {
        remedy: 'Make another account a warden who signs in with a password first.',
      },
    );
}

type Given = { sites?: Record<string, Role> | undefined; teams?: readonly string[] | undefined };
/** What is put down of roles at sites and of teams, where there are any. */
const rightsGiven = ({ sites, teams }: Given) => ({
  ...(sites && Object.keys(sites).length ? { sites } : {}),
  ...(teams?.length ? { teams } : {}),
});
/** Roles at single sites and teams, in place of those that an account has. @throws Refusal where there is no such site or team */
export async function giveRights(m: EntityManager, login: string, { sites, teams }: Given): Promise<void> {
  if (sites) {
    const names = Object.keys(sites);
    const known = ((await m.query('select key from site where key = any($1)', [names])) as { key: string }[]).map((r) => r.key);
    const strange = names.find((s) => !known.includes(s));
    if (strange)
      throw new Refusal('invalid', `There is no site ${strange}.`, { places: [{ path: 'sites', message: 'not declared' }] });
    await m.query('update account set sites = $2, changed_at = now() where login = $1', [login, JSON.stringify(sites)]);
  }
  if (!teams) return;
  await m.query('delete from account_team where login = $1', [login]);
  const put = (await m.query(
    'with put as (insert into account_team (login, team) select $1, key from team where key = any($2) returning team) select team from put',
    [login, teams],
  )) as { team: string }[];
  const strange = teams.find((t) => !put.some((p) => p.team === t));
  if (strange)
    throw new Refusal('invalid', `There is no team ${strange}.`, { places: [{ path: 'teams', message: 'not declared' }] });
}

/** Makes an account. Without a password one is made, which is answered once and kept nowhere in the clear. */
export async function makeAccount(
  m: EntityManager,
  a: {
    login: string;
    name: string;
    role: Role;
    sites?: Record<string, Role> | undefined;
    teams?: string[] | undefined;
    password?: string | undefined;
    /** A link is made with which its owner chooses a password, and no password is told. */
    invite?: boolean | undefined;
  },
  who: string,
): Promise<{ password?: string; invitation?: { token: string; endsAt: Date } }> {
  if (a.password !== undefined) await refuseGuessed(a.password, a.login);
  const password = a.password ?? newPassword();
  const rows = (await m.query(
    'insert into account (login, name, role, password_hash) values ($1, $2, $3, $4) on conflict (login) do nothing returning login',
    [a.login, a.name, a.role, await hash(password)],
  )) as unknown[];
  if (!rows.length)
    throw new Refusal('conflict', `There is an account ${a.login} already.`, {
      remedy: 'Choose another login, or change that account.',
      places: [{ path: 'login', message: 'taken' }],
    });
  await giveRights(m, a.login, a);
  await record(m, who, 'made an account', a.login, { role: a.role, ...rightsGiven(a) });
  if (a.invite) return { invitation: await invite(m, a.login, who) };
  return a.password === undefined ? { password } : {};
}

/** Changes name, role, or whether it may sign in. An account that is disabled is signed out everywhere. */
export async function changeAccount(
  m: EntityManager,
  login: string,
  to: {
    name?: string | undefined;
    role?: Role | undefined;
    sites?: Record<string, Role> | undefined;
    teams?: string[] | undefined;
    disabled?: boolean | undefined;
    signIn?: SignInWay | undefined;
  },
  who: string,
): Promise<void> {
  const before = await lockAccount(m, login);
  const after = {
    name: to.name ?? before.name,
    role: to.role ?? before.role,
    disabled: to.disabled ?? before.disabled,
    signIn: to.signIn ?? before.signIn,
  };
  await m.query('update account set name = $2, role = $3, disabled = $4, sign_in = $5, changed_at = now() where login = $1', [
    login,
    after.name,
    after.role,
    after.disabled,
    after.signIn,
  ]);
  if (before.role === 'warden' && !before.disabled) await keepAWarden(m);
  if (after.disabled) {
    await m.query('delete from session where login = $1', [login]);
    await m.query('delete from invitation where login = $1', [login]);
  }
  if (after.signIn === 'password') {
    // Whoever it was at the provider is nobody here until a warden says so again.
    await m.query('update account set issuer = null, subject = null where login = $1', [login]);
    await m.query('delete from session where login = $1 and by_provider', [login]);
  }
  if (after.signIn === 'provider') {
    await m.query('delete from invitation where login = $1', [login]);
    await m.query('delete from session where login = $1 and not by_provider', [login]);
  }
  const { name, role, disabled, signIn, sites, teams } = before;
  await giveRights(m, login, to);
  await record(
    m,
    who,
    after.disabled && !disabled
      ? 'disabled an account'
      : !after.disabled && disabled
        ? 'enabled an account'
        : 'changed an account',
    login,
    {
      before: { name, role, disabled, signIn, ...rightsGiven({ sites, teams }) },
      after: { ...after, ...rightsGiven({ sites: to.sites ?? sites, teams: to.teams ?? teams }) },
    },
  );
}

/** Sets a new password and signs the account out everywhere. Without one, one is made and answered once. */
export async function resetPassword(
  m: EntityManager,
  login: string,
  given: string | undefined,
  who: string,
): Promise<{ password?: string }> {
  signsInWithPassword(await lockAccount(m, login));
  if (given !== undefined) await refuseGuessed(given, login);
  const password = given ?? newPassword();
  await m.query('delete from invitation where login = $1', [login]);
  await m.query('update account set password_hash = $2, changed_at = now() where login = $1', [login, await hash(password)]);
  await m.query('delete from session where login = $1', [login]);
  await m.query('delete from sign_in_failure where login = $1', [login]);
  await record(m, who, 'set a new password', login);
  return given === undefined ? { password } : {};
}

/** Changes one's own password; every other session of the account ends. */
export async function changeOwnPassword(
  m: EntityManager,
  login: string,
  session: string,
  current: string,
  next: string,
): Promise<void> {
  const account = await lockAccount(m, login);
  signsInWithPassword(account);
  if (!(await verify(account.hash, current).catch(() => false)))
    throw new Refusal('invalid', 'The present password is not right.', {
      places: [{ path: 'current', message: 'is not right' }],
      remedy: 'Type it again; a warden can set a new one.',
    });
  if (current === next)
    throw new Refusal('invalid', 'The new password is the present one.', {
      places: [{ path: 'next', message: 'is the present one' }],
    });
  await refuseGuessed(next, login, 'next');
  await m.query('update account set password_hash = $2, changed_at = now() where login = $1', [login, await hash(next)]);
  await m.query('delete from invitation where login = $1', [login]);
  await m.query('delete from session where login = $1 and id <> $2', [login, session]);
  await record(m, login, 'changed their password', login);
}

export async function sessionsOf(m: EntityManager, login: string, own: string): Promise<SessionView[]> {
  return (await m.query(
    'select id, created_at as "createdAt", seen_at as "seenAt", expires_at as "expiresAt", address, agent, id = $2 as own from session where login = $1 and expires_at > now() order by created_at desc',
    [login, own],
  )) as SessionView[];
}

export async function endSession(m: EntityManager, login: string, id: string, who: string): Promise<void> {
  const rows = (await m.query('with d as (delete from session where login = $1 and id = $2 returning id) select id from d', [
    login,
    id,
  ])) as unknown[];
  if (!rows.length) throw new Refusal('not-found', 'That session has ended already.');
  await record(m, who, 'ended a session', login);
}

export const isRole = (text: string): text is Role => (roles as readonly string[]).includes(text);
