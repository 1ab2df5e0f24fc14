import type { SignInWay } from '@praesidor/core/access';
import { Refusal } from '../../refusal.ts';

/** Fewest characters of a password. */
export const leastPassword = 10;

let known: Promise<ReadonlySet<string>> | undefined;
/** Passwords that many people have, as they were found in the open: some 49,000, read when the first is asked about. */
const common = (): Promise<ReadonlySet<string>> => {
  known ??= import('@zxcvbn-ts/language-common').then((m) => new Set(m.dictionary['passwords-common'] as readonly string[]));
  return known;
};

/**
 * Refuses what is guessed first (NIST SP 800-63B 3.1.1.2): passwords that many have, also with digits or signs around them, the name of the account, and one sign or a short part again and again.
 * @throws Refusal
 */
export async function refuseGuessed(password: string, login: string, path = 'password'): Promise<void> {
  const plain = password.toLowerCase();
  const bare = plain.replace(/^[^a-z]+|[^a-z]+$/g, '');
  const list = await common();
  const why =
    list.has(plain) || (bare.length > 3 && list.has(bare) && plain.length - bare.length < 8)
      ? 'many people have it'
      : bare.includes(login.toLowerCase()) && bare.length - login.length < 4
        ? 'it is little more than the login'
        : /^(.{1,4})\1+.?$/.test(plain)
          ? 'it is the same again and again'
          : undefined;
  if (why)
    throw new Refusal('invalid', `This password is guessed easily: ${why}.`, {
      places: [{ path, message: why }],
      remedy: 'Choose another one: four words that have nothing to do with each other are easy to keep.',
    });
}

/** @throws Refusal where a password would open nothing */
export function signsInWithPassword(a: { login: string; signIn: SignInWay }): void {
  if (a.signIn === 'provider')
    throw new Refusal('not-now', `${a.login} signs in by the provider alone.`, {
      remedy: 'Let the account sign in with a password first.',
    });
}
