import type { EntityManager } from 'typeorm';
import { answered, requestCertificate } from '@praesidor/shipping';
import { seal, unseal } from '../../auth/seal.ts';
import type { Config } from '../../config.ts';
import { Refusal } from '../../refusal.ts';

/** A request that waits for its answer; its key is sealed. */
export interface OpenRequest {
  request: string;
  at: string;
  by: string;
}
const owner = (registry: string) => `registry ${registry}`;
const bound = (registry: string) => `registry ${registry} request.key`;

/** The request of a registry that waits; undefined: none does. */
export async function openRequest(m: EntityManager, registry: string): Promise<OpenRequest | undefined> {
  const [row] = (await m.query("select about from cluster_secret where charter = $1 and name = 'request.key'", [
    owner(registry),
  ])) as { about: OpenRequest }[];
  return row?.about;
}

/** Makes a key and a request in the place of one that waits. */
export async function newRequest(
  config: Config,
  m: EntityManager,
  registry: string,
  host: string,
  addresses: readonly string[],
  by: string,
): Promise<OpenRequest> {
  const { key, request } = await requestCertificate(host, addresses);
  const about: OpenRequest = { request, at: new Date().toISOString(), by };
  await m.query(
    "insert into cluster_secret (charter, name, sealed, about) values ($1, 'request.key', $2, $3) on conflict (charter, name) do update set sealed = excluded.sealed, about = excluded.about",
    [owner(registry), seal(config.keyringKey, key, bound(registry)), JSON.stringify(about)],
  );
  return about;
}

/** The pair that an answer makes with the key of the request. @throws Refusal */
export async function pairOf(
  config: Config,
  m: EntityManager,
  registry: string,
  answer: string,
): Promise<{ cert: string; key: string }> {
  const [row] = (await m.query("select sealed from cluster_secret where charter = $1 and name = 'request.key'", [
    owner(registry),
  ])) as { sealed: Buffer }[];
  if (!row)
    throw new Refusal('not-now', `No request of ${registry} waits for an answer.`, { remedy: 'Make one, and have it signed.' });
  const key = unseal(config.keyringKey, row.sealed, bound(registry));
  try {
    return { key, cert: answered(key, answer) };
  } catch (e) {
    throw new Refusal('invalid', `The answer cannot be used: ${(e as Error).message}.`, {
      places: [{ path: 'answer', message: (e as Error).message }],
    });
  }
}
export const dropRequest = (m: EntityManager, registry: string): Promise<unknown> =>
  m.query("delete from cluster_secret where charter = $1 and name = 'request.key'", [owner(registry)]);
