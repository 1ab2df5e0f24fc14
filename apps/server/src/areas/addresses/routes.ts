import type { FastifyInstance } from 'fastify';
import { z } from 'zod';
import { type Edit, Owner, words } from '@praesidor/core/model';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { needDoc } from '../../estate/documents.ts';
import { dropDoc } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { driftOf, readZone, reservationKeys, reserve, sendZone, type Wish } from './service.ts';

const Reserve = z.strictObject({
  network: words.Name,
  address: words.Ip.optional(),
  count: z.number().int().min(1).max(256).default(1),
  name: words.Fqdn.optional(),
  mac: words.Mac.optional(),
  owner: Owner,
});
const Key = z.strictObject({ network: words.Name, address: words.Ip });
const ZoneName = z.strictObject({ zone: words.Fqdn });

export async function addresses(app: FastifyInstance, { ctx }: { ctx: Context }) {
  app.post('/api/addresses/reserve', { config: { role: 'planner' }, schema: { body: Reserve } }, async (req, reply) => {
    const made = await reserve(ctx, req.body as Wish, req.who.login);
    const inverse = reservationKeys(made).map((key): Edit => ({ op: 'drop', kind: 'Reservation', key }));
    const act = await record(
      ctx.db.manager,
      req.who.login,
      'reserved',
      made.map((r) => r.address).join(' '),
      { owner: made[0]?.owner },
      inverse,
    );
    return reply.status(201).send({ reservations: made, act });
  });

  app.post('/api/addresses/release', { config: { role: 'planner' }, schema: { body: Key } }, async (req) => {
    const { network, address } = req.body as z.infer<typeof Key>;
    const key = `${network}/${address}`;
    return ctx.db.transaction(async (m) => {
      const { doc } = await needDoc(m, 'Reservation', key);
      if (
        doc.owner.kind === 'charter' &&
        (
          (await m.query("select 1 from host where held_by = $1 and doc->>'state' = 'serving' limit 1", [
            doc.owner.name,
          ])) as unknown[]
        ).length
      )
        throw new Refusal('not-now', `${address} belongs to ${doc.owner.name}, which is serving.`, {
          remedy: 'Change its charter, or tear the cluster down first.',
        });
      await dropDoc(m, 'Reservation', key);
      return { act: await record(m, req.who.login, 'released', address, { was: doc }, [{ op: 'put', doc }]) };
    });
  });

  app.get('/api/zones/:zone/drift', { config: { role: 'reader' }, schema: { params: ZoneName } }, async (req) => {
    const { zone } = req.params as { zone: string };
    const { estate } = await loadEstate(ctx.db);
    const served = estate.observed.zones[zone];
    if (!served) throw new Refusal('not-now', `${zone} has not been read from its server yet.`);
    return {
      drift: await driftOf(ctx, estate, zone, served),
      served: { at: served.at, serial: served.serial, error: served.error },
    };
  });

  app.post('/api/zones/:zone/read', { config: { role: 'reader' }, schema: { params: ZoneName } }, async (req) => ({
    served: await readZone(ctx, (req.params as { zone: string }).zone),
  }));
  app.post('/api/zones/:zone/send', { config: { role: 'builder' }, schema: { params: ZoneName } }, async (req) =>
    sendZone(ctx, (req.params as { zone: string }).zone, req.who.login),
  );
}
