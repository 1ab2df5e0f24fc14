import type { EntityManager } from 'typeorm';
import { heldBy, joinBills, keptAt, missing, repairOf, staysWithin } from '@praesidor/core/images';
import { bytesText } from '@praesidor/core/words';
import type { Bill, Estate, Site } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import { type Shipment, ShipmentCases, type ShipmentItem, Shipments } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { lookAt } from './registries.ts';

export interface Wish {
  target: string;
  bills: string[];
  /** Where from; the one declared source registry where not given. */
  source?: string | undefined;
  way?: Shipment['way'] | undefined;
  caseBytes?: number | undefined;
  /** Label of the shipment that has to land first. */
  after?: string | undefined;
  /** Only these blobs, and the images that wait for them: a repair. */
  only?: ReadonlySet<string> | undefined;
}
/** What one medium is taken to hold where nobody says: a 64 GB stick, with room for its file system. */
export const usualCaseBytes = 60e9;

/** What is done with shipments in the transaction that plans them: all of it, or nothing. */
export type AlsoPlanned = (m: EntityManager, made: readonly Shipment[]) => Promise<void>;

/** Plans what a registry lacks of some bills, as the items that have to move; nothing it holds is moved again. */
export async function planShipment(ctx: Context, wish: Wish, who: string, also?: AlsoPlanned): Promise<Shipment> {
  await lookAt(ctx, wish.target);
  const { estate } = await loadEstate(ctx.db);
  return ctx.db.transaction(async (m) => {
    const s = await planIn(m, estate, wish, who);
    await also?.(m, [s]);
    return s;
  });
}

/**
 * Plans a shipment through several registries, one after another (open site → ship in port → sealed room): each
 * begins when the one before it has landed. A stop that lacks nothing is left out.
 */
export async function planChain(
  ctx: Context,
  stops: Omit<Wish, 'bills' | 'source' | 'after'>[],
  bills: string[],
  source: string | undefined,
  who: string,
  also?: AlsoPlanned,
): Promise<Shipment[]> {
  for (const s of stops) await lookAt(ctx, s.target);
  const { estate } = await loadEstate(ctx.db);
  return ctx.db.transaction(async (m) => {
    const made: Shipment[] = [];
    let from = source;
    for (const stop of stops) {
      const after: string | undefined = made.at(-1)?.label;
      try {
        made.push(await planIn(m, estate, { ...stop, bills, source: from, after }, who));
      } catch (e) {
        if (!(e instanceof Refusal && e.code === 'not-now' && e.message.includes('holds everything'))) throw e;
      }
      from = stop.target;
    }
    if (!made.length)
      throw new Refusal('not-now', `Every stop holds everything of ${bills.join(', ')}. There is nothing to move.`);
    await also?.(m, made);
    return made;
  });
}

/** The smallest shipment that makes good the cases of another that are missing or damaged. */
export async function planRepair(ctx: Context, label: string, who: string): Promise<Shipment> {
  const s = await wholeShipment(ctx.db.manager, label);
  if (!s.manifest) throw new Refusal('not-now', `${label} travels in no cases; go on with it, and it moves what is lacking.`);
  const cases = await ctx.db.manager.findBy(ShipmentCases, { shipment: s.id });
  const found = cases.filter((c) => !['awaited', 'planned'].includes(c.state)).map((c) => ({ number: c.number, bad: c.bad }));
  const seen = await lookAt(ctx, s.target);
  const { estate } = await loadEstate(ctx.db);
  const repair = repairOf(s.manifest, { cases: found }, heldBy(seen, needIn(estate, 'Registry', s.target)));
  if (!repair.digests.length)
    throw new Refusal('not-now', `Nothing of ${label} is missing or damaged; land the cases that did not land yet.`);
  return ctx.db.transaction((m) =>
    planIn(
      m,
      estate,
      {
        target: s.target,
        bills: s.bills,
        source: s.source,
        way: 'case',
        caseBytes: s.caseBytes ?? undefined,
        only: new Set(repair.digests),
      },
      who,
    ),
  );
}

/** With its manifest, which lists leave out. */
export async function wholeShipment(m: EntityManager, label: string): Promise<Shipment> {
  const [row] = (await m.query('select manifest from shipment where label = $1', [label])) as {
    manifest: Shipment['manifest'];
  }[];
  const s = await m.findOneBy(Shipments, { label });
  if (!s || !row) throw new Refusal('not-found', `There is no shipment ${label}.`);
  return { ...s, manifest: row.manifest };
}

async function planIn(m: EntityManager, estate: Estate, wish: Wish, who: string): Promise<Shipment> {
  const { target, bills } = wish;
  const registry = needIn(estate, 'Registry', target);
  const seen = estate.observed.registries[target];
  if (!seen || seen.error)
    throw new Refusal('unreachable', `${target} could not be looked at: ${seen?.error ?? 'not measured'}.`, {
      remedy: 'What it lacks is not known, so nothing is planned.',
    });
  const unknown = bills.filter((n) => !estate.observed.bills[n]);
  if (unknown.length)
    throw new Refusal('not-now', `The bill of ${unknown.join(', ')} has not been computed yet.`, {
      remedy: 'It is walked at the source within a minute of being declared; look whether the source can be reached.',
    });
  const bill = joinBills('shipment', bills.map((n) => estate.observed.bills[n]) as Bill[]);
  const lack = missing(bill, heldBy(seen, registry));
  if (!lack.images.length)
    throw new Refusal('not-now', `${target} holds everything of ${bills.join(', ')}. There is nothing to move.`);
  const site = needIn(estate, 'Site', registry.site);
  const source = wish.source ? needIn(estate, 'Registry', wish.source) : estate.registries.find((r) => r.role === 'source');
  if (!source) throw new Refusal('invalid', 'No source registry is declared.');
  if (source.name === target) throw new Refusal('invalid', `${target} cannot be shipped to from itself.`);
  const within = staysWithin(source, registry);
  const way = wish.way ?? (site.reach === 'sealed' && !within ? 'case' : 'link');
  if (!within) {
    const left = source.role === 'source' ? undefined : needIn(estate, 'Site', source.site);
    if (left?.reach === 'sealed' && way !== 'case')
      throw new Refusal('invalid', `${left.title} is sealed: nothing leaves it over a link.`, { remedy: 'Plan it by case.' });
    refuseWay(site, way);
  } else if (way === 'fast-link')
    throw new Refusal('invalid', `${source.name} and ${target} both stand at ${site.title}: the network of the site is the way.`);
  const images = bill.images.filter((i) => lack.images.includes(i.ref) && (!wish.only || i.blobs.some((b) => wish.only?.has(b))));
  const wanted = new Set([...lack.digests.filter((d) => !wish.only || wish.only.has(d)), ...lack.manifests]);
  const blobs = [...new Set(images.flatMap((i) => i.blobs))].filter((d) => wanted.has(d));
  const sum = (key: 'bytes' | 'declaredBytes') => blobs.reduce((n, d) => n + (bill.blobs[d]?.[key] ?? 0), 0);
  const label = await nextLabel(m, site);
  const {
    identifiers: [made],
  } = await m.insert(Shipments, {
    label,
    source: source.name,
    target,
    way,
    bills,
    state: wish.after ? 'queued' : 'planned',
    phase: 'plan',
    createdAt: new Date(),
    createdBy: who,
    bytes: sum('bytes'),
    declaredBytes: sum('declaredBytes'),
    movedBytes: 0,
    rate: 0,
    resumed: 0,
    wrong: [],
    error: null,
    startedAt: null,
    endedAt: null,
    after: wish.after ?? null,
    caseBytes: way === 'case' ? (wish.caseBytes ?? usualCaseBytes) : null,
    resumeAt: null,
  });
  const id = (made as { id: number }).id;
  const items = new Map<string, ShipmentItem>();
  // An image that lacks anything is completed as a whole in its repository: blobs that the registry holds elsewhere are only linked there.
  for (const image of images) {
    const { repository, tag } = keptAt(image.ref, registry);
    const add = (digest: string, kind: 'blob' | 'manifest', bytes: number, declaredBytes: number, t: string | null = null) =>
      items.set(`${repository} ${digest}`, {
        shipment: id,
        digest,
        repository,
        kind,
        bytes: wanted.has(digest) ? bytes : 0,
        declaredBytes: wanted.has(digest) ? declaredBytes : 0,
        state: 'wanted',
        tag: t,
        position: items.size,
        upload: null,
      });
    for (const b of image.blobs) add(b, 'blob', bill.blobs[b]?.bytes ?? 0, bill.blobs[b]?.declaredBytes ?? 0);
    for (const [i, d] of image.manifests.entries())
      add(d, 'manifest', 0, 0, i === image.manifests.length - 1 ? (tag ?? null) : null);
  }
  // As one value: a statement takes 65,535 of them, which fifty releases exceed.
  await m.query(
    'insert into shipment_item (shipment, digest, repository, kind, bytes, declared_bytes, state, tag, position) select shipment, digest, repository, kind, bytes, "declaredBytes", state, tag, position from jsonb_to_recordset($1::jsonb) as i(shipment int, digest text, repository text, kind text, bytes bigint, "declaredBytes" bigint, state text, tag text, position int)',
    [JSON.stringify([...items.values()])],
  );
  await tell(m, 'Shipment', label);
  return (await m.findOneBy(Shipments, { id })) as Shipment;
}

function refuseWay(site: Site, way: Shipment['way']): void {
  if (site.reach === 'sealed' && way !== 'case')
    throw new Refusal('invalid', `${site.title} is sealed: nothing reaches it over a link.`, { remedy: 'Plan it by case.' });
  if (way === 'fast-link' && !site.fastLink)
    throw new Refusal('invalid', `${site.title} declares no faster link.`, {
      remedy: 'Declare the rate and hours of its faster link, or ship over the usual one.',
    });
}

export async function nextLabel(m: EntityManager, site: Site): Promise<string> {
  await m.query('select pg_advisory_xact_lock(727002)');
  const prefix = site.name.toUpperCase();
  const [{ n } = { n: 0 }] = (await m.query(
    "select coalesce(max((regexp_match(label, '-(\\d+)$'))[1]::int), 0) + 1 as n from shipment where label like $1",
    [`${prefix}-%`],
  )) as { n: number }[];
  return `${prefix}-${n}`;
}

/** What is wrong with the cases of a shipment that landed in part, in one sentence. */
export function shortText(s: Shipment, cases: { number: number; state: string; bad: unknown[] }[], lackingBytes: number): string {
  const list = (n: number[]) => (n.length === 1 ? `case ${n[0]}` : `cases ${n.slice(0, -1).join(', ')} and ${n.at(-1)}`);
  const missingCases = cases.filter((c) => ['awaited', 'planned', 'packed'].includes(c.state)).map((c) => c.number);
  const damaged = cases.filter((c) => c.state === 'damaged');
  const said = [
    ...(missingCases.length ? [`${list(missingCases)} did not land yet`] : []),
    ...damaged.map((c) => `case ${c.number} has ${c.bad.length} damaged ${c.bad.length === 1 ? 'file' : 'files'}`),
  ].join('; ');
  return `${(said[0] ?? '').toUpperCase()}${said.slice(1)}. ${bytesText(lackingBytes)} of ${bytesText(s.bytes)} are lacking.`;
}
