import type { EntityManager } from 'typeorm';
import { formatIp, parseRange, size } from '@praesidor/core/address';
import { fitsAny, zoneOf } from '@praesidor/core/hosts';
import { type Doc, type Edit, type Host, keyOf, type Reservation, type Site, words } from '@praesidor/core/model';
import { zoneFor } from '@praesidor/core/naming';
import { ProtocolError } from '@praesidor/protocols/dial';
import { type Bmc, readFacts } from '@praesidor/protocols/redfish';
import type { Context } from '../../context.ts';
import { docTables, type SightingRow, Sightings } from '../../db/tables.ts';
import { insertDoc, needDoc, readDoc, writeDoc } from '../../estate/documents.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { credential } from '../keyring/service.ts';

const most = 4096;

/** Checks a sweep before it is queued. @throws Refusal */
export function sweepRange(text: string) {
  let range: ReturnType<typeof parseRange>;
  try {
    range = parseRange(text);
  } catch (e) {
    throw new Refusal('invalid', `The range to sweep cannot be read: ${(e as Error).message}.`, {
      places: [{ path: 'range', message: (e as Error).message }],
    });
  }
  if (size(range) > BigInt(most))
    throw new Refusal('too-large', `${size(range)} addresses are too many for one sweep; at most ${most} are taken.`, {
      remedy: 'Sweep the management network, or a part of it.',
    });
  return range;
}

/**
 * Looks at every address of a range for a management controller. What answers is kept as sighted with the
 * fingerprint it shows; credentials are sent to nothing whose fingerprint has not been accepted.
 */
export async function sweep(ctx: Context, site: string, rangeText: string, signal: AbortSignal): Promise<void> {
  const range = sweepRange(rangeText);
  const all: string[] = [];
  for (let n = range.first; n <= range.last; n++) all.push(formatIp({ v: range.v, n }));
  let next = 0;
  let done = 0;
  let found = 0;
  const worker = async () => {
    for (let i = next++; i < all.length && !signal.aborted; i = next++) {
      if (await look(ctx, site, all[i] as string)) found++;
      done++;
      if (done % 8 === 0 || done === all.length) await progress(ctx.db.manager, site, { done, of: all.length, found });
    }
  };
  await Promise.all(Array.from({ length: 16 }, worker));
}

const progress = (m: EntityManager, site: string, p: object) =>
  m.query(
    "select pg_notify('praesidor', json_build_object('id', 0, 'kind', 'Sweep', 'subject', $1::text, 'data', $2::jsonb)::text)",
    [site, JSON.stringify(p)],
  );

async function look(ctx: Context, site: string, address: string): Promise<boolean> {
  const seen = await ctx.dialer.certificate({ host: address, port: 443 }, 1500).catch(() => undefined);
  if (!seen) return false;
  await ctx.db.transaction(async (m) => {
    const host = ((await m.query('select key from host where bmc_address = $1', [address])) as { key: string }[])[0];
    const before = await m.findOneBy(Sightings, { address });
    await m.query(
      `insert into sighting (address, site, at, fingerprint, accepted) values ($1, $2, now(), $3, $4)
      on conflict (address) do update set at = now(), site = excluded.site, accepted = sighting.accepted and sighting.fingerprint = excluded.fingerprint, fingerprint = excluded.fingerprint`,
      [address, site, seen.fingerprint, false],
    );
    if (!before || before.fingerprint !== seen.fingerprint || host) await tell(m, 'Sighting', address);
  });
  return true;
}

/** Pins the fingerprint that a controller shows, then reads its facts with the credentials given. */
export async function accept(ctx: Context, address: string, fingerprint: string, credentialName: string): Promise<SightingRow> {
  const s = await ctx.db.manager.findOneBy(Sightings, { address });
  if (!s) throw new Refusal('not-found', `Nothing has been sighted at ${address}.`);
  if (s.fingerprint !== fingerprint)
    throw new Refusal('conflict', `${address} shows another certificate by now: ${s.fingerprint.slice(0, 11)}…`, {
      remedy: 'Compare it with the sheet that came with the machine, then accept that one.',
      current: { fingerprint: s.fingerprint },
    });
  const bmc = await bmcFor(ctx, address, fingerprint, credentialName);
  try {
    const { facts, place } = await readFacts(bmc, new Date().toISOString());
    await save(ctx, address, { accepted: true, facts, place, error: null });
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    await save(ctx, address, { accepted: true, facts: null, place: null, error: e.message });
  }
  return (await ctx.db.manager.findOneBy(Sightings, { address })) as SightingRow;
}

const save = (ctx: Context, address: string, v: { accepted: boolean; facts: unknown; place: unknown; error: string | null }) =>
  ctx.db.transaction(async (m) => {
    await m.query('update sighting set accepted = $2, facts = $3, place = $4, error = $5 where address = $1', [
      address,
      v.accepted,
      v.facts ? JSON.stringify(v.facts) : null,
      v.place ? JSON.stringify(v.place) : null,
      v.error,
    ]);
    await tell(m, 'Sighting', address);
  });

export async function bmcFor(
  ctx: Context,
  address: string,
  fingerprint: string | undefined,
  credentialName: string,
  signal?: AbortSignal,
): Promise<Bmc> {
  if (!fingerprint)
    throw new Refusal('not-now', `The certificate of ${address} has not been accepted; nothing is sent to it.`, {
      remedy: 'Sweep its network and accept the fingerprint.',
    });
  const { user, secret } = await credential(ctx.config, ctx.db.manager, credentialName);
  return { dialer: ctx.dialer, address, fingerprint, user, password: secret, ...(signal ? { signal } : {}) };
}

/** Takes an accepted sighting into the estate as a host, with its place, its zone, and its controller's address in the ledger. */
export async function list(
  m: EntityManager,
  address: string,
  credentialName: string,
  given: { name?: string; rack?: string; unit?: number },
  who: string,
): Promise<{ host: Host; inverse: Edit[] }> {
  const s = await m.findOneBy(Sightings, { address });
  if (!s?.accepted || !s.facts)
    throw new Refusal('not-now', `${address} cannot be listed before its certificate is accepted and its facts are read.`);
  const { doc: site } = await needDoc(m, 'Site', s.site);
  const place = (s.place ?? {}) as { name?: string; rack?: string; unit?: number };
  const facts = s.facts as Host['facts'] & object;
  const rack = given.rack ?? place.rack;
  const unit = given.unit ?? place.unit;
  const proposed = (given.name ?? place.name ?? `${site.name}-${rack ?? 'x'}-${unit ?? facts.serial}`).toLowerCase();
  const name = words.Name.safeParse(proposed);
  if (!name.success)
    throw new Refusal('invalid', `${proposed} cannot be a host's name: ${name.error.issues[0]?.message}.`, {
      places: [{ path: 'name', message: name.error.issues[0]?.message ?? '' }],
    });
  const zone = zoneOf(site, rack, unit);
  const host: Host = {
    apiVersion: 'praesidor/v1',
    kind: 'Host',
    name: name.data,
    site: s.site,
    state: fitsAny(facts) ? 'fit' : 'listed',
    ...(rack ? { rack } : {}),
    ...(unit ? { unit } : {}),
    ...(zone ? { zone } : {}),
    bmc: { address, credential: credentialName, fingerprint: s.fingerprint },
    facts,
  };
  if (await readDoc(m, 'Host', host.name))
    throw new Refusal('conflict', `There is a host ${host.name} already.`, {
      remedy: 'Give this one another name.',
      places: [{ path: 'name', message: 'taken' }],
    });
  const inverse: Edit[] = [{ op: 'drop', kind: 'Host', key: host.name }];
  await insertDoc(m, host, who);
  const reservation = await controllerAddress(m, site, host, address);
  if (reservation) {
    await insertDoc(m, reservation, who);
    inverse.unshift({ op: 'drop', kind: 'Reservation', key: keyOf(reservation) });
  }
  return { host, inverse };
}

async function controllerAddress(m: EntityManager, site: Site, host: Host, address: string): Promise<Reservation | undefined> {
  const [network] = (await m.query(
    'select key from network where site = $1 and $2::inet <<= prefix order by masklen(prefix) desc limit 1',
    [site.name, address],
  )) as { key: string }[];
  if (!network) return undefined;
  const taken = await m.findOneBy(docTables.Reservation, { key: `${network.key}/${address}` });
  if (taken) return undefined;
  const zones = (await m.find(docTables.Zone)).map((r) => r.doc as Doc & { name: string });
  const name = `bmc-${host.name}.${site.domain}`;
  return {
    apiVersion: 'praesidor/v1',
    kind: 'Reservation',
    address,
    network: network.key,
    ...(zoneFor(name, zones) ? { name } : {}),
    owner: { kind: 'host', name: host.name, use: 'bmc' },
    // The controller answered there before anybody planned it.
    origin: 'sighted',
    since: new Date().toISOString(),
  };
}

/** Reads a listed host's facts again over its pinned controller. */
export async function refresh(ctx: Context, name: string, who: string): Promise<Host> {
  const { doc: host, version } = await needDoc(ctx.db.manager, 'Host', name);
  if (!host.bmc) throw new Refusal('not-now', `${name} has no management controller declared.`);
  const bmc = await bmcFor(ctx, host.bmc.address, host.bmc.fingerprint, host.bmc.credential);
  let facts: Host['facts'];
  try {
    ({ facts } = await readFacts(bmc, new Date().toISOString()));
  } catch (e) {
    throw e instanceof ProtocolError ? new Refusal('unreachable', `${name}: ${e.message}.`) : e;
  }
  const state = host.state === 'listed' && facts && fitsAny(facts) ? 'fit' : host.state;
  const after: Host = { ...host, state, facts };
  await ctx.db.transaction((m) => writeDoc(m, after, who, version));
  return after;
}
