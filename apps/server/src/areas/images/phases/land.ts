import { existsSync } from 'node:fs';
import { heldBy } from '@praesidor/core/images';
import { counted } from '@praesidor/core/words';
import { CaseFolder, landCase } from '@praesidor/shipping';
import { type ShipmentCase, ShipmentCases } from '../../../db/tables.ts';
import { publishTransient } from '../../../events/bus.ts';
import { caseFolder, keepFolder } from '../cases.ts';
import { shortText, wholeShipment } from '../plan.ts';
import { openRegistry, lookAt } from '../registries.ts';
import type { Phase, PhaseEnd } from './index.ts';

/** Lands the cases that are to land, one after another; then says whether the shipment is whole. */
export async function land({ ctx, s, target, meter, signal, log }: Phase): Promise<PhaseEnd> {
  const to = await openRegistry(ctx, target, signal);
  const all = () => ctx.db.manager.find(ShipmentCases, { where: { shipment: s.id }, order: { number: 'ASC' } });
  for (const c of await all()) if (c.state === 'landed') meter.add(c.bytes);
  const set = async (number: number, state: ShipmentCase['state'], bad: ShipmentCase['bad'] = []) => {
    await ctx.db.manager.query(
      "update shipment_case set state = $3, bad = $4, landed_at = case when $3 = 'landed' then now() end where shipment = $1 and number = $2",
      [s.id, number, state, JSON.stringify(bad)],
    );
    await publishTransient(ctx.db.manager, 'ShipmentProgress', s.label);
  };
  let whole = false;
  for (;;) {
    const next = (await all()).find((c) => c.state === 'landing' || c.state === 'waiting');
    if (!next) break;
    await set(next.number, 'landing');
    const dir = caseFolder(ctx, s.label, next.number);
    if (!existsSync(dir)) {
      await set(next.number, 'damaged', [{ path: '', why: 'the case is not there any more' }]);
      continue;
    }
    const done = await landCase(new CaseFolder(dir), to, keepFolder(ctx, s.label), {
      signal,
      onBytes: (n) => meter.add(n),
      onCut: () => meter.cut(),
    });
    await set(next.number, done.bad.length ? 'damaged' : 'landed', done.bad);
    await (done.bad.length
      ? log(`case ${next.number}: ${counted(done.bad.length, 'damaged file')}`, 'warn')
      : log(`case ${next.number} landed`));
    whole = done.images === done.of;
  }
  const landed = async (): Promise<PhaseEnd> => {
    await ctx.db.manager.query("update shipment_item set state = 'landed' where shipment = $1", [s.id]);
    return { state: 'landed' };
  };
  if (whole) return landed();
  const held = heldBy(await lookAt(ctx, s.target), target);
  const { manifest } = await wholeShipment(ctx.db.manager, s.label);
  let lacking = 0;
  for (const c of manifest?.cases ?? []) for (const p of c.pieces) if (!held.has(p.digest)) lacking += p.to - p.from;
  // Everything is there: whoever landed the last case came to no end of it, killed or stopped.
  const named = manifest?.images.every((i) => held.has(i.tag && held.named ? `${i.repository}:${i.tag}@${i.digest}` : i.digest));
  if (named && lacking === 0) return landed();
  return { state: 'short', error: shortText(s, await all(), lacking) };
}
