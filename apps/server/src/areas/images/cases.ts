import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, rename, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Readable } from 'node:stream';
import { landingChanges, sameShipment, type ShipmentManifest } from '@praesidor/core/images';
import type { Estate, Registry } from '@praesidor/core/model';
import { ArchiveRefused, CaseFolder, NotACase, type Signed, signedBy, tarOf, unpack, verifyCase } from '@praesidor/shipping';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { ShipmentCases, Shipments } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { trustedKeys } from './instance.ts';
import { wholeShipment } from './plan.ts';

export const caseFolder = (ctx: Context, label: string, number: number) =>
  join(ctx.config.dataDir, 'cases', label, `case-${number}`);
/** Parts of blobs that are larger than a case, until all of one are here. */
export const keepFolder = (ctx: Context, label: string) => join(ctx.config.dataDir, 'cases', label, 'parts');

/** A packed case as a tar archive, to be written to a medium. */
export async function caseArchive(ctx: Context, label: string, number: number): Promise<Readable> {
  const s = await wholeShipment(ctx.db.manager, label);
  const c = await ctx.db.manager.findOneBy(ShipmentCases, { shipment: s.id, number });
  if (!c || c.state === 'planned' || c.state === 'awaited')
    throw new Refusal('not-now', `Case ${number} of ${label} is not packed.`);
  const dir = caseFolder(ctx, label, number);
  if (!existsSync(dir))
    throw new Refusal('not-found', `The files of case ${number} of ${label} are not in PRAESIDOR_DATA of the server any more.`, {
      remedy: 'Pack the shipment again.',
    });
  return tarOf(dir);
}

export interface Arrived {
  label: string;
  number: number;
  of: number;
  bad: { path: string; why: string }[];
  /** Why it is not landed before a builder has accepted it by name; null: it is verified. */
  unverified: string | null;
}

/**
 * Takes a case in from an archive: unpacked aside, verified, and put beside the others of its shipment. A shipment
 * that was planned elsewhere is known from its manifest then, whose signature is verified and which is held against the
 * bills known here; one that is not signed by a trusted installation lands only when a builder has accepted it by name. What is damaged is kept and named: the rest of it lands.
 */
export async function arrive(ctx: Context, stream: Readable, who: string): Promise<Arrived> {
  const aside = join(ctx.config.dataDir, 'cases', `.arriving-${randomUUID()}`);
  await mkdir(aside, { recursive: true });
  try {
    let broke: string | undefined;
    try {
      await unpack(stream, aside);
    } catch (e) {
      if (!(e instanceof ArchiveRefused)) throw e;
      // Read only halfway: what came whole is used, if it says what it is.
      if (!e.message.startsWith('the archive ends')) throw new Refusal('invalid', `The archive is refused: ${e.message}.`);
      broke = e.message;
    }
    const box = new CaseFolder(aside);
    const { manifest: w, mark } = await box.describe();
    const { bad } = await verifyCase(box);
    const signed = await signedBy(box, await trustedKeys(ctx.config, ctx.db.manager));
    if (signed.state === 'wrong')
      throw new Refusal('invalid', `The case was changed after it was packed: ${signed.why}.`, {
        remedy: 'Pack it again, and bring it by another way.',
      });
    if (broke && !bad.length) bad.push({ path: '', why: broke });
    const label = w.shipment;
    const known = await ctx.db.manager.findOneBy(Shipments, { label });
    if (known) {
      const own = (await wholeShipment(ctx.db.manager, label)).manifest;
      if (!own || !sameShipment(own, w))
        throw new Refusal('conflict', `Another shipment is called ${label} here: the cases do not belong together.`);
    }
    const { estate } = await loadEstate(ctx.db);
    const target = estate.registries.find((r) => r.endpoint === w.to);
    const unverified = known
      ? (known.unverified ?? unverifiedOf(signed, w, estate, target))
      : unverifiedOf(signed, w, estate, target);
    const dir = caseFolder(ctx, label, mark.number);
    await mkdir(dirname(dir), { recursive: true });
    await rm(dir, { recursive: true, force: true });
    await rename(aside, dir);
    await ctx.db.transaction(async (m) => {
      let id = known?.id;
      if (id === undefined) {
        if (!target)
          throw new Refusal('invalid', `The case is for ${w.to}, which is no registry of this estate.`, {
            remedy: 'Declare it, or bring the case where it belongs.',
          });
        const bytes = w.cases.reduce((n, c) => n + c.bytes, 0);
        const made = await m.insert(Shipments, {
          label,
          source: estate.registries.find((r) => r.endpoint === w.from)?.name ?? w.from,
          target: target.name,
          way: 'case',
          bills: w.bills,
          state: 'short',
          phase: 'land',
          createdAt: new Date(w.at),
          createdBy: who,
          bytes,
          declaredBytes: bytes,
          movedBytes: 0,
          rate: 0,
          resumed: 0,
          wrong: [],
          error: null,
          manifest: w as never,
          caseBytes: Math.max(...w.cases.map((c) => c.bytes)),
          unverified,
        });
        id = (made.identifiers[0] as { id: number }).id;
        for (const c of w.cases)
          await m.query("insert into shipment_case (shipment, number, bytes, state) values ($1, $2, $3, 'awaited')", [
            id,
            c.number,
            c.bytes,
          ]);
      }
      // One case that cannot be verified is enough for the whole: they name images together.
      if (known && unverified && !known.unverified && !known.acceptedBy)
        await m.query('update shipment set unverified = $2 where id = $1', [id, unverified]);
      await m.query('update shipment_case set state = $3, bad = $4 where shipment = $1 and number = $2', [
        id,
        mark.number,
        bad.length ? 'damaged' : 'packed',
        JSON.stringify(bad),
      ]);
      await record(m, who, 'took in a case', `${label} case ${mark.number}`, {
        damaged: bad.length,
        ...(unverified ? { unverified } : {}),
      });
      await tell(m, 'Shipment', label);
    });
    return { label, number: mark.number, of: mark.of, bad, unverified: known?.acceptedBy ? null : unverified };
  } catch (e) {
    if (e instanceof NotACase)
      throw new Refusal('invalid', `That is no case of a shipment: ${e.message.replace(`${aside}: `, '').replace(aside, 'it')}.`);
    throw e;
  } finally {
    await rm(aside, { recursive: true, force: true });
  }
}

/** Why a shipment from elsewhere is not landed by itself; null: a trusted installation packed it, as the bills known here have it. */
function unverifiedOf(signed: Signed, w: ShipmentManifest, estate: Estate, target: Registry | undefined): string | null {
  if (signed.state === 'unsigned') return 'nobody has signed it';
  if (signed.state === 'foreign') return `it is signed by ${signed.by}, whose key is not trusted here`;
  const other = target && landingChanges(w, Object.values(estate.observed.bills), target, undefined).find((c) => c.bill);
  return other ? `${other.image} is another image than the bill of ${other.bill?.name} says` : null;
}

/** What landing a shipment would change at its registry, for whoever has to accept it. */
export async function wouldLand(ctx: Context, label: string) {
  const s = await wholeShipment(ctx.db.manager, label);
  if (!s.manifest) throw new Refusal('not-now', `${label} travels in no cases.`);
  const { estate } = await loadEstate(ctx.db);
  const target = needIn(estate, 'Registry', s.target);
  const changes = landingChanges(
    s.manifest,
    Object.values(estate.observed.bills),
    target,
    estate.observed.registries[target.name],
  );
  const rank = (c: (typeof changes)[number]) => (c.bill ? 0 : c.what === 'moves' ? 1 : c.unknown ? 2 : c.what === 'adds' ? 3 : 4);
  return {
    unverified: s.unverified,
    acceptedBy: s.acceptedBy,
    changes: changes.sort((a, b) => rank(a) - rank(b) || (a.image < b.image ? -1 : 1)),
  };
}

/** A builder takes responsibility for a shipment that cannot be verified, by typing its name. */
export async function acceptShipment(ctx: Context, label: string, confirm: string, who: string): Promise<void> {
  if (confirm !== label)
    throw new Refusal('invalid', `To accept it, type its name: ${label}.`, {
      places: [{ path: 'confirm', message: `must be ${label}` }],
    });
  const { changes } = await wouldLand(ctx, label);
  await ctx.db.transaction(async (m) => {
    const rows = (await m.query(
      'with u as (update shipment set accepted_by = $2 where label = $1 and unverified is not null and accepted_by is null returning unverified) select unverified from u',
      [label, who],
    )) as { unverified: string }[];
    if (!rows[0]) throw new Refusal('not-now', `${label} needs no acceptance, or has it already.`);
    await record(m, who, 'accepted a shipment that is not verified', label, {
      why: rows[0].unverified,
      moves: changes.filter((c) => c.what === 'moves').map((c) => c.image),
      adds: changes.filter((c) => c.what === 'adds').length,
    });
    await tell(m, 'Shipment', label, who);
  });
}
