import { hash } from '@node-rs/argon2';
import type { SignInWay } from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import { hashed, newToken } from '../../auth/seal.ts';
import { Refusal } from '../../refusal.ts';
import { refuseGuessed, signsInWithPassword } from './passwords.ts';

/** Hours for which a link is good. */
const hours = 72;
const gone = () =>
  new Refusal('not-found', 'This link has been used, has ended, or was replaced by another one.', {
    remedy: 'Ask a warden for another one.',
  });

/** A link of an account that is there: whoever has it chooses the password. One that was made before is good no longer. @returns the part behind the #, told once */
export async function invite(m: EntityManager, login: string, who: string): Promise<{ token: string; endsAt: Date }> {
  const [account] = (await m.query('select login, disabled, sign_in as "signIn" from account where login = $1 for update', [
    login,
  ])) as {
    login: string;
    disabled: boolean;
    signIn: SignInWay;
  }[];
  if (!account) throw new Refusal('not-found', `There is no account ${login}.`);
  if (account.disabled) throw new Refusal('not-now', `${login} is disabled.`, { remedy: 'Enable the account first.' });
  signsInWithPassword(account);
  const token = newToken();
  const [row] = (await m.query(
    `insert into invitation (login, token_hash, made_by, ends_at) values ($1, $2, $3, now() + make_interval(hours => $4))
     on conflict (login) do update set token_hash = excluded.token_hash, made_by = excluded.made_by, made_at = now(), ends_at = excluded.ends_at returning ends_at as "endsAt"`,
    [login, hashed(token), who, hours],
  )) as { endsAt: Date }[];
  await record(m, who, 'invited', login, { until: row?.endsAt });
  return { token, endsAt: row?.endsAt as Date };
}

/** Whose link it is. @throws Refusal where it is good no longer; of one that never was the same is said */
export async function invited(m: EntityManager, token: string): Promise<{ login: string; name: string; endsAt: Date }> {
  const [row] = (await m.query(
    'select a.login, a.name, i.ends_at as "endsAt" from invitation i join account a on a.login = i.login where i.token_hash = $1 and i.ends_at > now() and not a.disabled',
    [hashed(token)],
  )) as { login: string; name: string; endsAt: Date }[];
  if (!row) throw gone();
  return row;
}

/** Takes a link up: its password is that of the account from then on, who was signed in is signed out, and the link is good no longer. */
export async function takeUp(m: EntityManager, token: string, password: string): Promise<{ login: string }> {
  const { login } = await invited(m, token);
  await refuseGuessed(password, login);
  const digest = await hash(password);
  // Of two who have one link the first takes it up.
  const taken = (await m.query(
    'with d as (delete from invitation where token_hash = $1 and ends_at > now() returning login) select login from d',
    [hashed(token)],
  )) as unknown[];
  if (!taken.length) throw gone();
  await m.query('update account set password_hash = $2, changed_at = now() where login = $1', [login, digest]);
  await m.query('delete from session where login = $1', [login]);
  await m.query('delete from sign_in_failure where login = $1', [login]);
  await record(m, login, 'took up an invitation', login);
  return { login };
}
