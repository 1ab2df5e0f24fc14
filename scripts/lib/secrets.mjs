import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

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
