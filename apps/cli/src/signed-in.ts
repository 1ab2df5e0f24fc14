import { chmodSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { z } from 'zod';

/** Where somebody has signed in from the command line: kept for the next command, readable by its owner alone. */
const SignedIn = z.strictObject({
  server: z.url(),
  token: z.string(),
  login: z.string(),
  endsAt: z.string(),
  ca: z.string().optional(),
});
export type SignedIn = z.infer<typeof SignedIn>;

/** Of the XDG base directories: configuration of one person. */
export const signedInFile = (): string =>
  join(process.env.XDG_CONFIG_HOME || join(homedir(), '.config'), 'praesidor', 'signed-in.json');

/** @returns undefined where nobody has signed in, or what is kept cannot be read */
export function signedIn(): SignedIn | undefined {
  const file = signedInFile();
  if (!existsSync(file)) return undefined;
  try {
    return SignedIn.parse(JSON.parse(readFileSync(file, 'utf8')));
  } catch {
    return undefined;
  }
}
export function keepSignedIn(of: SignedIn): string {
  const file = signedInFile();
  mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
  writeFileSync(file, `${JSON.stringify(of, null, 2)}\n`, { mode: 0o600 });
  // Also where it was there before, with other rights.
  chmodSync(file, 0o600);
  return file;
}
export const forgetSignedIn = (): void => rmSync(signedInFile(), { force: true });
