import * as answers from '@praesidor/contract';
import { forecast, parsePrefix, prefixRange, size } from '@praesidor/core/address';
import { dhcpNetworks, dnsmasqConf, keaJson, pxeOf } from '@praesidor/core/ledger';
import { Owner, words } from '@praesidor/core/model';
import { nextSerial, plannedRecords, recordsOfZone, zoneFile } from '@praesidor/core/naming';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import type { Context } from '../../context.ts';
import { needDoc, needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { Allocator } from './allocator.ts';
import { exportCsv, history, importCsv, levels, move, preview, release } from './ledger.ts';
import { measure } from './measure.ts';
import { addServedRecords, driftOf, readZone, removeForeign, sendZone } from './zones.ts';

const Reserve = z
  .strictObject({
    network: words.Name,
    address: words.Ip.optional(),
    count: z.number().int().min(1).max(256).default(1),
    how: z.enum(['lowest', 'highest', 'spread']).optional(),
    after: words.Ip.optional(),
    align: z
      .number()
      .int()
      .min(1)
      .max(65_536)
      .refine((n) => Number.isInteger(Math.log2(n)), 'a power of two')
      .optional(),
    pool: words.Name.optional(),
    name: words.Fqdn.optional(),
    mac: words.Mac.optional(),
    owner: Owner,
    until: words.Instant.optional(),
    note: z.string().max(200).optional(),
  })
  .superRefine((r, ctx) => {
    if (r.mac && r.count > 1)
      ctx.addIssue({ code: 'custom', path: ['mac'], message: 'a MAC is bound to one address, not to several' });
    if (r.address && (r.how || r.after || r.align || r.pool))
      ctx.addIssue({
        code: 'custom',
        path: ['address'],
        message: 'an address that is named is given as it is: leave how, after, align and pool out',
      });
  });
const Days = z.number().min(0).max(3650).default(0);
const Key = z.strictObject({ network: words.Name, address: words.Ip, restDays: Days });
const Move = z.strictObject({
  network: words.Name,
  address: words.Ip,
  to: z.strictObject({ network: words.Name, address: words.Ip.optional(), pool: words.Name.optional() }),
  restDays: Days,
});
const ZoneName = z.strictObject({ zone: words.Fqdn });
const Foreign = z.strictObject({
  records: z
    .array(z.strictObject({ name: z.string().max(255), type: z.string().max(16), ttl: z.number(), value: z.string().max(4000) }))
    .min(1)
    .max(500),
});
const About = z.strictObject({ address: words.Ip.optional(), network: words.Name.optional(), at: words.Instant.optional() });
const Table = z.strictObject({
  text: z.string().max(20_000_000),
  site: words.Name.optional(),
  leaveOut: z.boolean().default(false),
  revision: z.number().int().min(0).optional(),
});
const Scope = z.strictObject({ site: words.Name.optional() });

export async function addresses(app: App, { ctx }: { ctx: Context }) {
  const allocator = new Allocator(ctx.db);

  app.post(
    '/api/addresses/reserve',
    { config: { act: 'ledger.change' }, schema: { response: { '2xx': answers.Reserved }, body: Reserve } },
    async (req, reply) => reply.status(201).send(await allocator.reserve(req.body, req.who.login)),
  );
  app.post(
    '/api/addresses/release',
    { config: { act: 'ledger.change' }, schema: { response: { '2xx': answers.Released }, body: Key } },
    async (req) => {
      const { network, address, restDays } = req.body;
      return release(ctx, network, address, restDays, req.who.login);
    },
  );
  app.post(
    '/api/addresses/move',
    { config: { act: 'ledger.change' }, schema: { response: { '2xx': answers.Moved }, body: Move } },
    async (req) => {
      const { to, restDays, ...from } = req.body;
      return move(ctx, from, to, restDays, req.who.login);
    },
  );
  app.post(
    '/api/reach/measure',
    {
      config: { act: 'reach.measure' },
      schema: {
        response: { '2xx': answers.Measured },
        body: z.strictObject({
          to: z.string().min(1).max(120),
          port: z.number().int().min(1).max(65_535).optional(),
          /** A host of a cluster that stands; without it the machine of this server. */
          from: words.Name.optional(),
        }),
      },
    },
    async (req) => measure(ctx, req.body.to, req.body.port, req.body.from),
  );
  app.get(
    '/api/addresses/history',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.History }, querystring: About } },
    async (req) => ({
      history: await history(ctx, req.query),
    }),
  );
  app.get(
    '/api/networks/:network/levels',
    {
      config: { act: 'plan.read' },
      schema: { response: { '2xx': answers.Levels }, params: z.strictObject({ network: words.Name }) },
    },
    async (req) => {
      const { doc } = await needDoc(ctx.db.manager, 'Network', req.params.network);
      const list = await levels(ctx, doc.name);
      const room = Number(size(prefixRange(parsePrefix(doc.prefix))));
      return { levels: list, room, forecast: forecast(list, room, new Date().toISOString()) ?? null };
    },
  );

  app.post(
    '/api/addresses/preview',
    { config: { act: 'plan.read' }, bodyLimit: 25_000_000, schema: { response: { '2xx': answers.LedgerPreview }, body: Table } },
    async (req) => {
      const { text, site } = req.body;
      const p = await preview(ctx, text, site);
      const notable = p.lines.filter((l) => l.what !== 'same');
      return { ...p, lines: notable.slice(0, 1000).map(({ doc: _, ...l }) => l), more: Math.max(0, notable.length - 1000) };
    },
  );
  app.post(
    '/api/addresses/import',
    {
      config: { act: 'ledger.change' },
      bodyLimit: 25_000_000,
      schema: { response: { '2xx': answers.LedgerImported }, body: Table },
    },
    async (req) => {
      const { text, site, leaveOut, revision } = req.body;
      return importCsv(ctx, text, site, leaveOut, revision, req.principal);
    },
  );
  const file = (name: string, type: string, write: (site: string | undefined) => Promise<string>) =>
    app.get(
      `/api/addresses/files/${name}`,
      { config: { act: 'plan.read' }, schema: { querystring: Scope } },
      async (req, reply) => {
        const { site } = req.query;
        return reply
          .type(type)
          .header('content-disposition', `attachment; filename="${site ? `${site}-` : ''}${name}"`)
          .send(await write(site));
      },
    );
  const dhcp = async (site: string | undefined) => {
    const { estate } = await loadEstate(ctx.db);
    const sites = estate.sites.filter((s) => !site || s.name === site);
    const pxe = sites.map((s) => pxeOf(estate, s.name, ctx.config.publicUrl)).find((p) => p !== undefined);
    return [sites.flatMap((s) => dhcpNetworks(s, estate.networks, estate.reservations)), pxe] as const;
  };
  file('ledger.csv', 'text/csv; charset=utf-8', (site) => exportCsv(ctx, site));
  file('kea-dhcp4.json', 'application/json', async (site) => keaJson(...(await dhcp(site))));
  file('dnsmasq.conf', 'text/plain; charset=utf-8', async (site) => dnsmasqConf(...(await dhcp(site))));

  app.get(
    '/api/zones/:zone/drift',
    { config: { act: 'plan.read' }, schema: { response: { '2xx': answers.ZoneDrift }, params: ZoneName } },
    async (req) => {
      const zone = req.params.zone;
      const { estate } = await loadEstate(ctx.db);
      needIn(estate, 'Zone', zone);
      const served = estate.observed.zones[zone];
      if (!served) throw new Refusal('not-now', `${zone} has not been read from its server yet.`);
      return {
        drift: await driftOf(ctx, estate, zone, served),
        served: { at: served.at, serial: served.serial, error: served.error },
      };
    },
  );
  /** The zone as it is planned, as a master file. */
  app.get('/api/zones/:zone/file', { config: { act: 'plan.read' }, schema: { params: ZoneName } }, async (req, reply) => {
    const { estate } = await loadEstate(ctx.db);
    const zone = needIn(estate, 'Zone', req.params.zone);
    const serial = nextSerial(estate.observed.zones[zone.name]?.serial ?? 0, estate.now);
    return reply
      .type('text/dns; charset=utf-8')
      .header('content-disposition', `attachment; filename="${zone.name}.zone"`)
      .send(zoneFile(zone, serial, recordsOfZone(plannedRecords(estate), zone.name)));
  });
  app.post(
    '/api/zones/:zone/read',
    { config: { act: 'zones.connect' }, schema: { response: { '2xx': answers.ZoneRead }, params: ZoneName } },
    async (req) => ({
      served: await readZone(ctx, req.params.zone),
    }),
  );
  app.post(
    '/api/zones/:zone/send',
    { config: { act: 'zones.send' }, schema: { response: { '2xx': answers.ZoneSent }, params: ZoneName } },
    async (req) => sendZone(ctx, req.params.zone, req.who.login),
  );
  app.post(
    '/api/zones/:zone/add-served',
    {
      config: { act: 'zones.add-served' },
      schema: { response: { '2xx': answers.RecordsAdded }, params: ZoneName, body: Foreign },
    },
    async (req) => addServedRecords(ctx, req.params.zone, req.body.records, req.principal),
  );
  app.post(
    '/api/zones/:zone/remove',
    { config: { act: 'zones.send' }, schema: { response: { '2xx': answers.RecordsRemoved }, params: ZoneName, body: Foreign } },
    async (req) => removeForeign(ctx, req.params.zone, req.body.records, req.who.login),
  );
}
