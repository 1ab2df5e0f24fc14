import { createHash, createHmac, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';

export interface Who {
  user: string;
  writes: boolean;
}
/** Says who it is that shows a name and a password; undefined: nobody. */
export type Login = (user: string, password: string) => Promise<Who | undefined>;

const derive = (password: string, salt: Buffer) =>
  new Promise<Buffer>((done, fail) =>
    scrypt(password, salt, 32, { N: 16384, r: 8, p: 1 }, (e, key) => (e ? fail(e) : done(key))),
  );

/** A password as it is kept: `scrypt$<salt>$<key>` (RFC 7914), base64. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt)).toString('base64')}`;
}

/** Users with kept passwords. What was right once is known for five minutes by its digest: a pull asks a thousand times. */
export function loginOf(users: Record<string, { password: string; writes: boolean }>): Login {
  const right = new Map<string, number>();
  return async (user, password) => {
    const u = Object.hasOwn(users, user) ? users[user] : undefined;
    const [kind, salt, key] = (u?.password ?? 'scrypt$AAAA$AAAA').split('$') as [string, string, string];
    const mark = createHash('sha256')
      .update(JSON.stringify([user, password, u?.password]))
      .digest('hex');
    if (u && (right.get(mark) ?? 0) > Date.now()) return { user, writes: u.writes };
    // A name that is not there takes as long as a wrong password.
    const got = kind === 'scrypt' ? await derive(password, Buffer.from(salt, 'base64')) : Buffer.alloc(32);
    const want = Buffer.from(key, 'base64');
    if (!u || got.length !== want.length || !timingSafeEqual(got, want)) return undefined;
    if (right.size > 1000) right.clear();
    right.set(mark, Date.now() + 300_000);
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
