import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** A value made once and kept in a file that only its owner reads. */
export function kept(file, make) {
  if (existsSync(file)) return JSON.parse(readFileSync(file, 'utf8'));
  const value = make();
  mkdirSync(dirname(file), { recursive: true });
  writeFileSync(file, JSON.stringify(value), { mode: 0o600 });
  return value;
}
export const keyringKey = (dir) => kept(`${dir}/keyring-key.json`, () => randomBytes(32).toString('hex'));
export const word = () => randomBytes(6).toString('base64url');

/** What runs over a folder, for `npm run admin`: read by its owner alone, and gone when it ends. */
export function noteRunning(state, facts) {
  const file = join(state, 'running.json');
  writeFileSync(file, JSON.stringify(facts), { mode: 0o600 });
  return async () => rmSync(file, { force: true });
}
export const running = (state) => {
  const file = join(state, 'running.json');
  return existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : undefined;
};
