import type { EntityManager } from 'typeorm';
import type { Host } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { Bmc } from '@praesidor/protocols/redfish';
import type { Context } from '../../context.ts';
import { needDoc } from '../../estate/documents.ts';
import { Refusal } from '../../refusal.ts';
import { controllerHeard } from './controllers.ts';
import { credential } from '../keyring/service.ts';

export async function bmcFor(
  ctx: Context,
  at: { document?: string; address: string },
  fingerprint: string | undefined,
  credentialName: string,
  signal?: AbortSignal,
): Promise<Bmc> {
  if (!fingerprint)
    throw new Refusal('not-now', `The certificate of ${at.address} has not been accepted; nothing is sent to it.`, {
      remedy: 'Sweep its network and accept the fingerprint.',
    });
  const { user, secret, leash } = await credential(ctx.config, ctx.db.manager, credentialName, { use: 'bmc', ...at });
  return { dialer: ctx.dialer, address: at.address, fingerprint, user, password: secret, leash, ...(signal ? { signal } : {}) };
}

/** The controller of a listed host. @throws Refusal where it has none, or its certificate was not accepted */
export async function bmcOf(ctx: Context, host: Host, signal?: AbortSignal): Promise<Bmc> {
  if (!host.bmc) throw new Refusal('not-now', `${host.name} has no management controller declared.`);
  const at = { document: `Host ${host.name}`, address: host.bmc.address };
  const bmc = await bmcFor(ctx, at, host.bmc.fingerprint, host.bmc.credential, signal);
  return { ...bmc, heard: controllerHeard(ctx, host.name) };
}

/** Asks a listed host's controller something, its faults told in our words. */
export async function withBmc<T>(ctx: Context, name: string, ask: (bmc: Bmc, host: Host) => Promise<T>): Promise<T> {
  const { doc: host } = await needDoc(ctx.db.manager, 'Host', name);
  const bmc = await bmcOf(ctx, host);
  try {
    return await ask(bmc, host);
  } catch (e) {
    throw e instanceof ProtocolError ? new Refusal(e.fault === 'pin' ? 'pin' : 'unreachable', `${name}: ${e.message}.`) : e;
  }
}

/** Most wrong passwords that a controller is sent in a quarter of an hour: accounts are commonly locked after three. */
const mostWrong = 2;
const window = '15 minutes';

/**
 * Does something with the first credential that a controller takes. One that it refused is not tried again until it was
 * changed in the keyring, and after two refusals within a quarter of an hour nothing is sent any more, so that the
 * account is not locked by us.
 *
 * @throws ProtocolError with the fault of the last try, or the reason why none was made
 */
export async function tryCredentials<T>(
  ctx: Context,
  address: string,
  fingerprint: string,
  names: readonly string[],
  ask: (bmc: Bmc) => Promise<T>,
): Promise<{ credential: string; answer: T }> {
  const m = ctx.db.manager;
  let refused: ProtocolError | undefined;
  for (const name of names) {
    const before = await triesOf(m, address, name);
    if (before.refusedAsItIs) {
      refused ??= new ProtocolError(
        'credentials',
        address,
        `it refused ${name} already, and ${name} has not been changed since; it was not tried again`,
      );
      continue;
    }
    if (before.wrong >= mostWrong)
      throw new ProtocolError(
        'credentials',
        address,
        `${before.wrong} passwords were refused within ${window}; the next is tried after ${before.again.slice(11, 16)} UTC, so that its account is not locked`,
      );
    const bmc = await bmcFor(ctx, { address }, fingerprint, name);
    try {
      const answer = await ask(bmc);
      await note(m, address, name, true);
      return { credential: name, answer };
    } catch (e) {
      // One that may not be sent there was not sent: nothing was tried.
      if (e instanceof ProtocolError && e.fault === 'kept-back') {
        refused ??= e;
        continue;
      }
      if (!(e instanceof ProtocolError) || e.fault !== 'credentials') throw e;
      await note(m, address, name, false);
      refused = e;
    }
  }
  throw refused ?? new ProtocolError('credentials', address, 'no credential was given');
}

async function triesOf(m: EntityManager, address: string, name: string) {
  const [row] = (await m.query(
    `select
      exists (select 1 from bmc_try t join keyring k on k.name = t.credential and k.created_at = t.kept_at where t.address = $1 and t.credential = $2 and not t.good
        and not exists (select 1 from bmc_try g where g.address = $1 and g.credential = $2 and g.good and g.at > t.at)) as refused,
      (select count(*)::int from bmc_try where address = $1 and not good and at > now() - interval '${window}') as wrong,
      (select min(at) + interval '${window}' from bmc_try where address = $1 and not good and at > now() - interval '${window}') as again`,
    [address, name],
  )) as { refused: boolean; wrong: number; again: Date | null }[];
  return { refusedAsItIs: row?.refused ?? false, wrong: row?.wrong ?? 0, again: row?.again?.toISOString() ?? '' };
}

const note = (m: EntityManager, address: string, name: string, good: boolean) =>
  m.query(
    'insert into bmc_try (address, credential, kept_at, good) select $1, name, created_at, $3 from keyring where name = $2',
    [address, name, good],
  );
