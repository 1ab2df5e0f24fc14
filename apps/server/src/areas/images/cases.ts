import { randomUUID } from 'node:crypto';
import { mkdir, rename, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Readable } from 'node:stream';
import { CaseFolder, NotACase, ArchiveRefused, tarOf, unpack, verifyCase } from '@praesidor/shipping';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { ShipmentCases, Shipments } from '../../db/tables.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
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
  return tarOf(caseFolder(ctx, label, number));
}

export interface Arrived {
  label: string;
  number: number;
  of: number;
  bad: { path: string; why: string }[];
}

/**
 * Takes a case in from an archive: unpacked aside, verified, and put beside the others of its shipment. A shipment
 * that was planned elsewhere is known from its waybill then. What is damaged is kept and named: the rest of it lands.
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
    const { waybill: w, mark } = await box.describe();
    const { bad } = await verifyCase(box);
    if (broke && !bad.length) bad.push({ path: '', why: broke });
    const label = w.shipment;
    const known = await ctx.db.manager.findOneBy(Shipments, { label });
    if (known) {
      const own = (await wholeShipment(ctx.db.manager, label)).waybill;
      if (
        JSON.stringify(own?.cases.map((c) => c.pieces.map((p) => [p.digest, p.from, p.to]))) !==
        JSON.stringify(w.cases.map((c) => c.pieces.map((p) => [p.digest, p.from, p.to])))
      )
        throw new Refusal('conflict', `Another shipment is called ${label} here: the cases do not belong together.`);
    }
    const dir = caseFolder(ctx, label, mark.number);
    await mkdir(dirname(dir), { recursive: true });
    await rm(dir, { recursive: true, force: true });
    await rename(aside, dir);
    await ctx.db.transaction(async (m) => {
      let id = known?.id;
      if (id === undefined) {
        const { estate } = await loadEstate(ctx.db);
        const target = estate.registries.find((r) => r.endpoint === w.to);
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
          paper: bytes,
          movedBytes: 0,
          rate: 0,
          resumed: 0,
          error: null,
          waybill: w as never,
          caseBytes: Math.max(...w.cases.map((c) => c.bytes)),
        });
        id = (made.identifiers[0] as { id: number }).id;
        for (const c of w.cases)
          await m.query("insert into shipment_case (shipment, number, bytes, state) values ($1, $2, $3, 'awaited')", [
            id,
            c.number,
            c.bytes,
          ]);
      }
      await m.query('update shipment_case set state = $3, bad = $4 where shipment = $1 and number = $2', [
        id,
        mark.number,
        bad.length ? 'damaged' : 'packed',
        JSON.stringify(bad),
      ]);
      await record(m, who, 'took in a case', `${label} case ${mark.number}`, { damaged: bad.length });
      await tell(m, 'Shipment', label);
    });
    return { label, number: mark.number, of: mark.of, bad };
  } catch (e) {
    if (e instanceof NotACase)
      throw new Refusal('invalid', `That is no case of a shipment: ${e.message.replace(`${aside}: `, '').replace(aside, 'it')}.`);
    throw e;
  } finally {
    await rm(aside, { recursive: true, force: true });
  }
}
