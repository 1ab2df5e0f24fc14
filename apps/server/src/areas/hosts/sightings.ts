import type { EntityManager } from 'typeorm';
import { doTo, fitsCluster, zoneOf } from '@praesidor/core/hosts';
import { type Change, type Doc, type Facts, type Host, type Reservation, type Site, words } from '@praesidor/core/model';
import { zoneFor } from '@praesidor/core/naming';
import { ProtocolError } from '@praesidor/protocols/dial';
import { readFacts } from '@praesidor/protocols/redfish';
import type { Context } from '../../context.ts';
import { docTables, type SightingRow, Sightings } from '../../db/tables.ts';
import { insertDoc, lockHost, needDoc, readDoc, writeChanges } from '../../estate/documents.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { tryCredentials } from './bmc.ts';
import { judging, noteFacts } from './facts.ts';

/** Pins the fingerprint that a controller shows, then reads its facts with the first of the credentials that it takes. */
export async function accept(
  ctx: Context,
  address: string,
  fingerprint: string,
  credentials: readonly string[],
  who: string,
): Promise<SightingRow> {
  const s = await ctx.db.manager.findOneBy(Sightings, { address });
  if (!s) throw new Refusal('not-found', `Nothing has been sighted at ${address}.`);
  if (s.fingerprint !== fingerprint)
    throw new Refusal('conflict', `${address} shows another certificate by now: ${s.fingerprint.slice(0, 11)}…`, {
      remedy: 'Compare it with the sheet that came with the machine, then accept that one.',
      current: { fingerprint: s.fingerprint },
    });
  try {
    const { credential, answer } = await tryCredentials(ctx, address, fingerprint, credentials, (bmc) =>
      readFacts(bmc, new Date().toISOString()),
    );
    await save(ctx, address, { facts: answer.facts, place: answer.place, error: null, credential });
    await pinListed(ctx, address, fingerprint, answer.facts, credential, who);
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    await save(ctx, address, { facts: null, place: null, error: e.message, credential: null });
  }
  return (await ctx.db.manager.findOneBy(Sightings, { address })) as SightingRow;
}

/** A host that is listed with this controller and has no pin yet is pinned by the same act, and takes the facts over. */
async function pinListed(
  ctx: Context,
  address: string,
  fingerprint: string,
  facts: Facts,
  credential: string,
  who: string,
): Promise<void> {
  const [row] = (await ctx.db.manager.query('select key from host where bmc_address = $1', [address])) as { key: string }[];
  if (!row) return;
  await ctx.db.transaction(async (m) => {
    const doc = await lockHost(m, row.key);
    if (!doc.bmc || doc.bmc.fingerprint) return;
    const pinned: Host = { ...doc, bmc: { ...doc.bmc, fingerprint, credential }, facts };
    const step = doTo(pinned, 'measure', { fits: fitsCluster((await judging(m))(pinned)) });
    const after = 'refused' in step ? pinned : step.host;
    await writeChanges(m, [{ kind: 'Host', key: doc.name, before: doc, after }], who, '');
    await noteFacts(m, doc.name, doc.facts, facts);
  });
}

const save = (
  ctx: Context,
  address: string,
  v: { facts: unknown; place: unknown; error: string | null; credential: string | null },
) =>
  ctx.db.transaction(async (m) => {
    await m.query('update sighting set accepted = true, facts = $2, place = $3, error = $4, credential = $5 where address = $1', [
      address,
      v.facts ? JSON.stringify(v.facts) : null,
      v.place ? JSON.stringify(v.place) : null,
      v.error,
      v.credential,
    ]);
    await tell(m, 'Sighting', address);
  });

/** Takes an accepted sighting into the estate as a host, with its place, its zone, and its controller's address in the ledger. */
export async function list(
  m: EntityManager,
  address: string,
  credentialName: string,
  given: { name?: string; rack?: string; unit?: number },
  who: string,
): Promise<{ host: Host; changes: Change[] }> {
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
  const bmc = { address, credential: s.credential ?? credentialName, fingerprint: s.fingerprint };
  const known = await knownAs(m, facts.serial, address);
  if (known) throw alreadyThere(known, address, facts.serial);
  const zone = zoneOf(site, rack, unit);
  const host: Host = {
    apiVersion: 'praesidor/v1',
    kind: 'Host',
    name: name.data,
    site: s.site,
    state: fitsCluster((await judging(m))({ facts, site: s.site })) ? 'fit' : 'listed',
    ...(rack ? { rack } : {}),
    ...(unit ? { unit } : {}),
    ...(zone ? { zone } : {}),
    bmc,
    facts,
  };
  if (await readDoc(m, 'Host', host.name))
    throw new Refusal('conflict', `There is a host ${host.name} already.`, {
      remedy: 'Give this one another name.',
      places: [{ path: 'name', message: 'taken' }],
    });
  const changes = [await insertDoc(m, host, who)];
  await noteFacts(m, host.name, undefined, facts);
  const reservation = await controllerAddress(m, site, host, address);
  if (reservation) {
    changes.push(await insertDoc(m, reservation, who));
  }
  return { host, changes };
}

/** A listed host that is this machine: by its serial, or by the address of its controller. */
async function knownAs(m: EntityManager, serial: string, address: string): Promise<string | undefined> {
  const [row] = (await m.query("select key from whole_host where (serial = $1 and $1 <> '') or bmc_address = $2 limit 1", [
    serial,
    address,
  ])) as { key: string }[];
  return row?.key;
}
const alreadyThere = (host: string, address: string, serial: string) =>
  new Refusal('conflict', `The machine at ${address} (${serial}) is listed already, as ${host}.`, {
    remedy: `Its controller may have moved: set its address at ${host}, or merge the two.`,
    places: [{ path: 'address', message: `is ${host}` }],
  });

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
