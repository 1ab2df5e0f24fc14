import { readable, sshKeys } from '@praesidor/protocols/ssh';
import type { EntityManager } from 'typeorm';
import { seal, unseal } from '../../auth/seal.ts';
import type { Config } from '../../config.ts';

const bound = 'instance gateways';

/** The key with which this installation enters members of gateways; made when it is first needed, and kept sealed. */
export async function gatewayKey(config: Config, m: EntityManager): Promise<{ private: string; public: string }> {
  const read = async () =>
    (
      (await m.query("select sealed, public_key as public from instance_key where name = 'gateways'")) as {
        sealed: Buffer;
        public: string;
      }[]
    )[0];
  let row = await read();
  // One that no sshd can read lets nobody in: it is made anew.
  if (!row || !readable(opened(config, row))) {
    const made = await sshKeys();
    await m.query(
      `insert into instance_key (name, sealed, public_key) values ('gateways', $1, $2)
       on conflict (name) do update set sealed = excluded.sealed, public_key = excluded.public_key where instance_key.public_key = $3`,
      [seal(config.keyringKey, made.private, bound), made.public, row?.public ?? ''],
    );
    row = await read();
  }
  if (!row) throw new Error('the key of this installation could not be kept');
  return { private: opened(config, row), public: row.public };
}

const opened = (config: Config, row: { sealed: Buffer }): string => unseal(config.keyringKey, row.sealed, bound);
