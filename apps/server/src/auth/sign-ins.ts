import { hash, verify } from '@node-rs/argon2';
import type { DataSource } from 'typeorm';
import { type HeldRights, rightsOf } from '../access/permit.ts';
import { Refusal } from '../refusal.ts';
import { newToken } from './seal.ts';

/** Somebody who signs in. */
export interface Found extends HeldRights {
  login: string;
  name: string;
}

/** Minutes in which failures count. */
const window = 15;
/** Tries of one account from one address; fewer where the address, or the account from anywhere, has failed often. */
const tries = { usual: 10, suspicious: 3 };
const suspicious = { address: 50, account: 30 };

/**
 * Checks passwords. Failures are counted by account and address together, so that nobody can lock an owner out from
 * elsewhere: whoever comes from another address has tries of their own. Many failures from one address, or of one
 * account from everywhere, leave fewer tries to each pair. A few passwords are checked at a time, since each costs a
 * processor and memory on purpose.
 */
export class SignIns {
  private checking = 0;
  private readonly waiting: (() => void)[] = [];
  constructor(private readonly db: DataSource) {}

  /** @throws Refusal `too-many` or `sign-in-wrong`; both take as long for an account that is none */
  async check(login: string, password: string, address: string): Promise<Found> {
    // Counted before it is known to be wrong: a hundred at once are a hundred.
    const [own] = (await this.db.query(
      'with old as (delete from sign_in_failure where at < now() - make_interval(mins => $3)) insert into sign_in_failure (login, address) values ($1, $2) returning at',
      [login, address, window],
    )) as { at: Date }[];
    const [n] = (await this.db.query(
      `select count(*) filter (where login = $1 and address = $2)::int as pair, count(*) filter (where address = $2)::int as address, count(*) filter (where login = $1)::int as account,
        coalesce(ceil(extract(epoch from min(at) filter (where login = $1 and address = $2) + make_interval(mins => $3) - now())), 60)::int as wait
       from sign_in_failure where at > now() - make_interval(mins => $3) and (login = $1 or address = $2)`,
      [login, address, window],
    )) as { pair: number; address: number; account: number; wait: number }[];
    const most = n && (n.address > suspicious.address || n.account > suspicious.account) ? tries.suspicious : tries.usual;
    if (n && n.pair > most) {
      await this.forget(login, address, own?.at);
      throw new Refusal(
        'too-many',
        `Too many failed log-ins for this account from here; the next is taken in ${Math.max(1, Math.ceil(n.wait / 60))} min.`,
        {
          remedy: 'Wait, or ask a warden to set a new password.',
          retryAfter: Math.max(1, n.wait),
        },
      );
    }
    const [account] = (await this.db.query(
      `select login, name, ${rightsOf('account')}, case sign_in when 'provider' then null else password_hash end as hash, disabled from account where login = $1`,
      [login],
    )) as (Found & { hash: string | null; disabled: boolean })[];
    const good = await this.inTurn(async () => verify(account?.hash ?? (await decoy()), password).catch(() => false));
    if (!account || !good)
      throw new Refusal('sign-in-wrong', 'Login and password do not match.', {
        remedy: 'Check both; a warden can set a new password.',
      });
    await this.forget(login, address);
    if (account.disabled)
      throw new Refusal('sign-in-wrong', `The account ${login} is disabled.`, { remedy: 'A warden can enable it again.' });
    const { name, role, sites, teams } = account;
    return { login: account.login, name, role, sites, teams };
  }

  private forget = (login: string, address: string, at?: Date) =>
    this.db.query('delete from sign_in_failure where login = $1 and address = $2 and ($3::timestamptz is null or at = $3)', [
      login,
      address,
      at ?? null,
    ]);

  private async inTurn<T>(act: () => Promise<T>): Promise<T> {
    if (this.waiting.length > 200)
      throw new Refusal('too-many', 'Too many log-ins at once.', { remedy: 'Try again in a moment.' });
    if (this.checking >= 2) await new Promise<void>((go) => this.waiting.push(go));
    else this.checking++;
    try {
      return await act();
    } finally {
      const next = this.waiting.shift();
      if (next) next();
      else this.checking--;
    }
  }
}

/** The same work whether or not the account exists, so that the time tells nothing. */
let decoyHash: Promise<string> | undefined;
const decoy = () => {
  decoyHash ??= hash(newToken());
  return decoyHash;
};
