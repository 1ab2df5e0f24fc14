import { hash } from '@node-rs/argon2';
import type { EntityManager } from 'typeorm';
import type { Role } from '@praesidor/core/access';

/** Makes an account, or sets one anew, which ends its sessions; argon2id with the library's defaults (19 MiB, 2 passes). */
export async function setAccount(
  m: EntityManager,
  a: { login: string; name: string; role: Role; password: string; sites?: Record<string, Role>; teams?: string[] },
): Promise<void> {
  await m.query(
    'insert into account (login, name, role, password_hash) values ($1, $2, $3, $4) on conflict (login) do update set name = excluded.name, role = excluded.role, password_hash = excluded.password_hash',
    [a.login, a.name, a.role, await hash(a.password)],
  );
  await m.query('delete from session where login = $1', [a.login]);
}
