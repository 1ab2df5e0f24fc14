import type { EntityManager } from 'typeorm';
import type { Config } from '../../config.ts';
import { Keys } from '../../db/tables.ts';
import { seal, unseal } from '../../auth/seal.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';

export interface Credential {
  user: string;
  secret: string;
}

/** A credential by its name. @throws Refusal when the keyring has none. */
export async function credential(config: Config, m: EntityManager, name: string): Promise<Credential> {
  const e = await m.findOneBy(Keys, { name });
  if (!e) throw new Refusal('invalid', `The keyring holds nothing named ${name}.`, { remedy: 'A warden can put it there.' });
  return { user: e.user, secret: unseal(config.keyringKey, e.sealed, name) };
}

export async function keep(
  config: Config,
  m: EntityManager,
  e: { name: string; use: string; user: string; secret: string },
  who: string,
): Promise<void> {
  await m.query(
    'insert into keyring (name, use, user_name, sealed, created_at, created_by) values ($1, $2, $3, $4, now(), $5) on conflict (name) do update set use = excluded.use, user_name = excluded.user_name, sealed = excluded.sealed, created_at = now(), created_by = excluded.created_by',
    [e.name, e.use, e.user, seal(config.keyringKey, e.secret, e.name), who],
  );
  await tell(m, 'Keyring', e.name);
}
