import { readFileSync } from 'node:fs';
import { resolve } from 'node:path';

export interface RegistryConfig {
  dir: string;
  address: string;
  port: number;
  tls?: { key: string; cert: string };
  users: Record<string, { password: string; writes: boolean }>;
  scheme: 'basic' | 'bearer';
  readOnly: boolean;
  limitBytes?: number;
  keepFree: number;
}

const keys = ['dir', 'address', 'port', 'tls', 'users', 'scheme', 'readOnly', 'limitBytes', 'keepFree'];

/** Reads the file that a registry is started with. @throws Error that names the file, the key and what belongs there */
export function readRegistryConfig(file: string): RegistryConfig {
  const bad = (key: string, what: string) => new Error(`${file}: ${key} ${what}`);
  let c: Record<string, unknown>;
  try {
    c = JSON.parse(readFileSync(file, 'utf8')) as Record<string, unknown>;
  } catch (e) {
    throw new Error(
      `${file}: ${(e as NodeJS.ErrnoException).code === 'ENOENT' ? 'there is no such file' : (e as Error).message}`,
    );
  }
  for (const key of Object.keys(c)) if (!keys.includes(key)) throw bad(key, `is not known; there are ${keys.join(', ')}`);
  const text = (key: string, usual?: string) => {
    const v = c[key] ?? usual;
    if (typeof v !== 'string' || !v) throw bad(key, 'must be text');
    return v;
  };
  const number = (key: string, usual?: number) => {
    const v = c[key] ?? usual;
    if (v !== undefined && !(typeof v === 'number' && v >= 0)) throw bad(key, 'must be a number, 0 or more');
    return v as number | undefined;
  };
  const tls = c.tls as { key?: string; cert?: string } | undefined;
  if (tls && (typeof tls.key !== 'string' || typeof tls.cert !== 'string')) throw bad('tls', 'must name the files key and cert');
  const users = (c.users ?? {}) as RegistryConfig['users'];
  for (const [name, u] of Object.entries(users))
    if (!/^scrypt\$[^$]+\$[^$]+$/.test(u?.password ?? ''))
      throw bad(`users.${name}.password`, 'must be what hash-password prints, never the password itself');
  if (!Object.keys(users).length)
    throw bad('users', 'must name at least one: a registry that lets everybody write is not started');
  const scheme = text('scheme', 'bearer');
  if (scheme !== 'basic' && scheme !== 'bearer') throw bad('scheme', 'must be basic or bearer');
  const port = number('port', 5000) as number;
  if (!Number.isInteger(port) || port > 65535) throw bad('port', 'must be a port number');
  const limitBytes = number('limitBytes');
  const beside = (path: string) => resolve(file, '..', path);
  return {
    dir: beside(text('dir')),
    address: text('address', '::'),
    port,
    ...(tls ? { tls: { key: beside(tls.key as string), cert: beside(tls.cert as string) } } : {}),
    users: Object.fromEntries(Object.entries(users).map(([n, u]) => [n, { password: u.password, writes: u.writes === true }])),
    scheme,
    readOnly: c.readOnly === true,
    ...(limitBytes === undefined ? {} : { limitBytes }),
    keepFree: number('keepFree', 1_000_000_000) as number,
  };
}
