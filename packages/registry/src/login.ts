import { createHash, createHmac, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { Hasher, TooMany } from './hasher.ts';

export interface Who {
  user: string;
  writes: boolean;
}
/** Says who it is that shows a name and a password, from an address; undefined: nobody. */
export type Login = (user: string, password: string, from?: string) => Promise<Who | undefined>;

const derive = (password: string, salt: Buffer) =>
  new Promise<Buffer>((done, fail) =>
    scrypt(password, salt, 32, { N: 16384, r: 8, p: 1 }, (e, key) => (e ? fail(e) : done(key))),
  );

/** A password as it is kept: `scrypt$<salt>$<key>` (RFC 7914), base64. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt)).toString('base64')}`;
}

/** Failures from one address within a minute, after which it is told to come again later. */
const patience = 10;
const minute = 60_000;

/**
 * Users with kept passwords. What was right once is known for five minutes by its digest, since a pull asks a thousand
 * times; what was wrong, for a minute, so that forty nodes with an old password cost nothing and are no guesses. Whoever
 * guesses wrong ten times in a minute waits; what is known to be right is let in all the same, from any address.
 *
 * @throws TooMany
 */
export function loginOf(users: Record<string, { password: string; writes: boolean }>, now: () => number = Date.now): Login {
  const right = new Map<string, number>();
  const wrong = new Map<string, number>();
  const failures = new Map<string, { n: number; until: number }>();
  const hasher = new Hasher();
  /** Those that are hashed at the moment: a node that opens many connections at once shows one password many times. */
  const asked = new Map<string, Promise<Buffer>>();
  const hash = (mark: string, password: string, salt: Buffer) => {
    const under = hasher.hash(password, salt).finally(() => asked.delete(mark));
    asked.set(mark, under);
    return under;
  };
  const fail = (from: string) => {
    const f = failures.get(from);
    if (failures.size > 10_000) failures.clear();
    failures.set(from, f && f.until > now() ? { n: f.n + 1, until: f.until } : { n: 1, until: now() + minute });
    return undefined;
  };
  return async (user, password, from = '') => {
    const u = Object.hasOwn(users, user) ? users[user] : undefined;
    const [kind, salt, key] = (u?.password ?? 'scrypt$AAAA$AAAA').split('$') as [string, string, string];
    const mark = createHash('sha256')
      .update(JSON.stringify([user, password, u?.password]))
      .digest('hex');
    if (u && (right.get(mark) ?? 0) > now()) return { user, writes: u.writes };
    const f = failures.get(from);
    if (f && f.n >= patience && f.until > now()) throw new TooMany(Math.ceil((f.until - now()) / 1000));
    // The same wrong one again is no guess, and costs nothing.
    if ((wrong.get(mark) ?? 0) > now()) return undefined;
    const under = asked.get(mark);
    // A name that is not there takes as long as a wrong password.
    const got = kind === 'scrypt' ? await (under ?? hash(mark, password, Buffer.from(salt, 'base64'))) : Buffer.alloc(32);
    const want = Buffer.from(key, 'base64');
    if (!u || got.length !== want.length || !timingSafeEqual(got, want)) {
      if (wrong.size > 1000) wrong.clear();
      wrong.set(mark, now() + minute);
      return under ? undefined : fail(from);
    }
    if (right.size > 1000) right.clear();
    right.set(mark, now() + 300_000);
    return { user, writes: u.writes };
  };
}

/** Users with passwords as they are, for programs that hold them in memory only. */
export const plainLogin =
  (users: Record<string, string>, writers?: readonly string[]): Login =>
  async (user, password) => {
    const want = Object.hasOwn(users, user) ? Buffer.from(users[user] as string) : undefined;
    const got = Buffer.from(password);
    return want && want.length === got.length && timingSafeEqual(want, got)
      ? { user, writes: !writers || writers.includes(user) }
      : undefined;
  };

/** `Basic` of an Authorization header (RFC 7617), or undefined. */
export function readBasic(header: string | undefined): { user: string; password: string } | undefined {
  const [scheme, text] = (header ?? '').split(' ');
  if (scheme?.toLowerCase() !== 'basic' || !text) return undefined;
  const plain = Buffer.from(text, 'base64').toString('utf8');
  const colon = plain.indexOf(':');
  return colon < 0 ? undefined : { user: plain.slice(0, colon), password: plain.slice(colon + 1) };
}

export interface Grant {
  user: string;
  writes: boolean;
  /** Repository → what may be done; `*` for all. */
  access: { name: string; actions: string[] }[];
}

/** Whether somebody was let in to do something with a repository, or with all of them (`*`). */
export const granted = (g: Grant, repository: string, action: string): boolean =>
  g.access.some((a) => (a.name === '*' || a.name === repository) && a.actions.includes(action));

/** Short-lived tokens (RFC 6750), signed and not kept: `<payload>.<HMAC-SHA-256>`, both base64url. */
export class Tokens {
  constructor(
    private readonly key: Buffer = randomBytes(32),
    readonly seconds = 300,
    private readonly now: () => number = Date.now,
  ) {}
  private sign = (text: string) => createHmac('sha256', this.key).update(text).digest('base64url');

  give(grant: Grant): string {
    const text = Buffer.from(JSON.stringify({ ...grant, until: this.now() + this.seconds * 1000 })).toString('base64url');
    return `${text}.${this.sign(text)}`;
  }
  /** @returns what was granted, or why it is not */
  read(token: string): Grant | 'wrong' | 'ended' {
    const [text = '', mark = ''] = token.split('.');
    const want = Buffer.from(this.sign(text));
    const got = Buffer.from(mark);
    if (want.length !== got.length || !timingSafeEqual(want, got)) return 'wrong';
    const grant = JSON.parse(Buffer.from(text, 'base64url').toString('utf8')) as Grant & { until: number };
    return grant.until > this.now() ? grant : 'ended';
  }
}
