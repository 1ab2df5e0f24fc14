import type { EntityManager } from 'typeorm';
import { keyFingerprint, newSigningKey, type SigningKey, type TrustedKey } from '@praesidor/shipping';
import { record } from '../../audit.ts';
import { seal, unseal } from '../../auth/seal.ts';
import type { Config } from '../../config.ts';
import { Refusal } from '../../refusal.ts';

const bound = 'instance shipments';

/** The key with which this installation signs what it packs; made when it is first needed, and kept sealed. */
export async function instanceKey(config: Config, m: EntityManager): Promise<SigningKey & { key: string }> {
  const read = async () =>
    (
      (await m.query("select sealed, public_key as key from instance_key where name = 'shipments'")) as {
        sealed: Buffer;
        key: string;
      }[]
    )[0];
  let row = await read();
  if (!row) {
    const made = newSigningKey();
    await m.query("insert into instance_key (name, sealed, public_key) values ('shipments', $1, $2) on conflict do nothing", [
      seal(config.keyringKey, made.privateKey, bound),
      made.key,
    ]);
    row = await read();
  }
  if (!row) throw new Error('the key of this installation could not be kept');
  return {
    name: `praesidor ${keyFingerprint(row.key).slice(0, 11)}`,
    privateKey: unseal(config.keyringKey, row.sealed, bound),
    key: row.key,
  };
}

export interface Trusted extends TrustedKey {
  fingerprint: string;
  own: boolean;
  addedAt: Date | null;
  addedBy: string | null;
}
/** Whose shipments are believed here: this installation's own, and those that a warden has added. */
export async function trustedKeys(config: Config, m: EntityManager): Promise<Trusted[]> {
  const own = await instanceKey(config, m);
  const rows = (await m.query(
    'select name, public_key as key, added_at as "addedAt", added_by as "addedBy" from trusted_instance order by name',
  )) as Omit<Trusted, 'fingerprint' | 'own'>[];
  return [
    { name: own.name, key: own.key, own: true, addedAt: null, addedBy: null },
    ...rows.map((r) => ({ ...r, own: false })),
  ].map((t) => ({
    ...t,
    fingerprint: keyFingerprint(t.key),
  }));
}

export async function trustInstance(m: EntityManager, name: string, key: string, who: string): Promise<void> {
  const rows = (await m.query(
    'insert into trusted_instance (name, public_key, added_by) values ($1, $2, $3) on conflict do nothing returning name',
    [name, key, who],
  )) as unknown[];
  if (!rows.length) throw new Refusal('conflict', 'That key, or another one of that name, is trusted already.');
  await record(m, who, 'trusted the key of an installation', name, { fingerprint: keyFingerprint(key) });
}

export async function distrustInstance(m: EntityManager, name: string, who: string): Promise<void> {
  const rows = (await m.query('with d as (delete from trusted_instance where name = $1 returning name) select name from d', [
    name,
  ])) as unknown[];
  if (!rows.length) throw new Refusal('not-found', `No key of ${name} is trusted here.`);
  await m.query("delete from observation where kind = 'heard' and data->>'installation' = $1", [name]);
  await record(m, who, 'took an installation out of the trust', name);
}
