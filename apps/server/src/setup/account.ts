import { hash } from '@node-rs/argon2';
import type { EntityManager } from 'typeorm';
import type { Role } from '../auth/roles.ts';

/** Makes or changes an account; argon2id with the library's defaults (19 MiB, 2 passes). */
export async function setAccount(
  m: EntityManager,
  a: { login: string; name: string; role: Role; password: string },
): Promise<void> {
  await m.query(
    'insert into account (login, name, role, password_hash) values ($1, $2, $3, $4) on conflict (login) do update set name = excluded.name, role = excluded.role, password_hash = excluded.password_hash',
    [a.login, a.name, a.role, await hash(a.password)],
  );
}
