import { joinBills, type Keeping, keptAt, placesAt, type ShipmentManifest, wantedImages } from '@praesidor/core/images';
import type { Bill, Estate } from '@praesidor/core/model';
import { packCases, planCases, readManifests } from '@praesidor/shipping';
import { type ShipmentItem, ShipmentItems } from '../../../db/tables.ts';
import { needIn } from '../../../estate/documents.ts';
import { publishTransient } from '../../../events/bus.ts';
import { caseFolder } from '../cases.ts';
import { instanceKey } from '../instance.ts';
import { usualCaseBytes, wholeShipment } from '../plan.ts';
import { Refusal } from '../../../refusal.ts';
import { openRegistry } from '../registries.ts';
import { openRoute } from './route.ts';
import type { Phase, PhaseEnd } from './index.ts';

/** Packs the cases of a shipment from its source, after planning them once and for all. */
export async function pack({ ctx, estate, s, target, meter, signal, log }: Phase): Promise<PhaseEnd> {
  const origin = needIn(estate, 'Registry', s.source);
  const source = await openRegistry(ctx, origin, signal);
  const items = await ctx.db.manager.find(ShipmentItems, { where: { shipment: s.id }, order: { position: 'ASC' } });
  const { images, bodies } = await readManifests(source, imagesOf(items, estate, s.bills, origin, target), signal);
  const known = (await wholeShipment(ctx.db.manager, s.label)).manifest;
  const manifest = known ?? planManifest();
  if (!known)
    await ctx.db.transaction(async (m) => {
      await m.query('update shipment set manifest = $2 where id = $1', [s.id, JSON.stringify(manifest)]);
      await m.query(
        "insert into shipment_case (shipment, number, bytes, state) select $1, number, bytes, 'planned' from unnest($2::int[], $3::bigint[]) c(number, bytes)",
        [s.id, manifest.cases.map((c) => c.number), manifest.cases.map((c) => c.bytes)],
      );
    });
  const route = await openRoute(ctx, { source }, signal);
  const packed = await packCases(manifest, source, bodies, (n) => caseFolder(ctx, s.label, n), {
    signal,
    fetch: route.fetch,
    signer: await instanceKey(ctx.config, ctx.db.manager),
    onBytes: (n) => meter.add(n),
    onCut: () => meter.cut(),
    onClosed: async (n) => {
      await ctx.db.manager.query("update shipment_case set state = 'packed' where shipment = $1 and number = $2", [s.id, n]);
      await publishTransient(ctx.db.manager, 'ShipmentProgress', s.label);
      await log(`case ${n} packed`);
    },
  }).finally(() => route.close());
  await ctx.db.manager.query('update shipment set manifest = $2 where id = $1', [s.id, JSON.stringify(packed)]);
  return { state: 'packed' };

  function planManifest(): ShipmentManifest {
    const sizes: Record<string, number> = {};
    for (const bill of Object.values(estate.observed.bills)) for (const [d, b] of Object.entries(bill.blobs)) sizes[d] = b.bytes;
    const travelling = [...new Set(items.filter((i) => i.kind === 'blob' && i.bytes > 0).map((i) => i.digest))];
    for (const i of items) if (i.bytes > 0) sizes[i.digest] = i.bytes;
    const draft = {
      shipment: s.label,
      at: new Date(s.createdAt).toISOString(),
      from: source.endpoint,
      to: target.endpoint,
      bills: s.bills,
    };
    const goes = new Set(travelling);
    const stay = new Set(images.flatMap((i) => i.blobs).filter((d) => !goes.has(d)));
    return planCases(draft, images, sizes, travelling, s.caseBytes ?? usualCaseBytes, standingIn(stay));
  }

  /** Repositories of the known bills that name a blob which stays: one of them has it at the target. */
  function standingIn(digests: ReadonlySet<string>): Record<string, string[]> {
    const out: Record<string, Set<string>> = {};
    for (const bill of Object.values(estate.observed.bills))
      for (const i of bill.images) {
        const places = placesAt(i.ref, target);
        for (const b of i.blobs)
          if (digests.has(b)) {
            out[b] ??= new Set();
            for (const p of places) out[b].add(p);
          }
      }
    return Object.fromEntries(Object.entries(out).map(([d, list]) => [d, [...list].slice(0, 100)]));
  }
}

/** The images of a plan, as its bills name them: those of which an item is the manifest. */
function imagesOf(
  items: readonly ShipmentItem[],
  estate: Estate,
  bills: readonly string[],
  source: Keeping,
  target: Keeping,
): ShipmentManifest['images'] {
  const planned = new Set(items.filter((i) => i.kind === 'manifest').map((i) => `${i.repository} ${i.digest}`));
  const known = bills.flatMap((n): Bill[] => (estate.observed.bills[n] ? [estate.observed.bills[n]] : []));
  const bill = joinBills('', known);
  const refs = bill.images.filter((i) => planned.has(`${keptAt(i.ref, target).repository} ${i.digest}`)).map((i) => i.ref);
  const images = wantedImages(bill, new Set(refs), source, target);
  const found = new Set(images.map((i) => `${i.repository} ${i.digest}`));
  const lost = items.find((i) => i.tag && !found.has(`${i.repository} ${i.digest}`));
  if (lost)
    throw new Refusal('conflict', `${lost.repository}:${lost.tag} is another image at its source than when this was planned.`, {
      remedy: 'Plan the shipment again.',
    });
  // Two bills may name one image: it travels once.
  return [...new Map(images.map((i) => [`${i.repository}:${i.tag ?? ''}@${i.digest}`, i])).values()];
}
