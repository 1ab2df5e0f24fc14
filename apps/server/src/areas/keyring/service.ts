import { type Destination, keptBack } from '@praesidor/core/access';
import type { Leash } from '@praesidor/protocols/dial';
import type { EntityManager } from 'typeorm';
import type { Config } from '../../config.ts';
import { Keys } from '../../db/tables.ts';
import { seal, unseal } from '../../auth/seal.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';

export interface Credential {
  user: string;
  secret: string;
  /** Goes along to whoever connects: asked before that, when the address is known. */
  leash: Leash;
}

/**
 * A credential by its name, for where a document says that it goes. Whoever connects asks its leash first; so that what
 * the keyring does not allow is sent nowhere, whatever was declared. @throws Refusal when the keyring has none
 */
export async function credential(config: Config, m: EntityManager, name: string, to: Destination): Promise<Credential> {
  const e = await m.findOneBy(Keys, { name });
  if (!e)
    throw new Refusal(
      'invalid',
      `The keyring has no entry named ${name}${to.document ? `, which ${to.document} asks for` : ''}.`,
      {
        remedy: 'A warden can add it under Keyring.',
      },
    );
  const entry = { name: e.name, use: e.use, places: e.places };
  return { user: e.user, secret: opened(config, e.sealed, name), leash: (at) => keptBack(entry, { ...to, ...at }) };
}

function opened(config: Config, sealed: Buffer, name: string): string {
  try {
    return unseal(config.keyringKey, sealed, name);
  } catch {
    throw new Refusal('not-now', `The key of this server does not open ${name} of the keyring.`, {
      remedy: 'Start the server with the PRAESIDOR_KEY that it was sealed with, or write the entry anew.',
    });
  }
}

export interface NewEntry {
  name: string;
  use: string;
  user: string;
  secret: string;
  /** Not given: those of an entry that is there stay; a new one has none. */
  places?: readonly string[] | undefined;
}
export async function keep(config: Config, m: EntityManager, e: NewEntry, who: string): Promise<void> {
  await m.query(
    'insert into keyring (name, use, user_name, sealed, created_at, created_by, places) values ($1, $2, $3, $4, now(), $5, $6) on conflict (name) do update set use = excluded.use, user_name = excluded.user_name, sealed = excluded.sealed, created_at = now(), created_by = excluded.created_by, places = coalesce($7, keyring.places)',
    [
      e.name,
      e.use,
      e.user,
      seal(config.keyringKey, e.secret, e.name),
      who,
      JSON.stringify(e.places ?? []),
      e.places ? JSON.stringify(e.places) : null,
    ],
  );
  await tell(m, 'Keyring', e.name, who);
}
