import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type { EntityManager } from 'typeorm';
import { heldBy, joinBills, missing, parseReference } from '@praesidor/core/images';
import type { Bill, Site } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { getManifest, hasBlob, mountBlob, pushBlob, putManifest, type RegistryAt } from '@praesidor/protocols/oci';
import type { Context } from '../../context.ts';
import { type Shipment, type ShipmentItem, ShipmentItems, Shipments } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell, whisper } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { CaseLayout } from './layout.ts';
import { at, lookAt } from './registries.ts';
import { readOn } from './source-reader.ts';

/** Plans what a registry lacks of some bills, as the items that have to move; nothing it holds is moved again. */
export async function planShipment(ctx: Context, target: string, bills: string[], who: string): Promise<Shipment> {
  await lookAt(ctx, target);
  const { estate } = await loadEstate(ctx.db);
  const registry = needIn(estate, 'Registry', target);
  const seen = estate.observed.registries[target];
  if (!seen || seen.error)
    throw new Refusal('unreachable', `${target} could not be looked at: ${seen?.error ?? 'not measured'}.`, {
      remedy: 'What it lacks is not known, so nothing is planned.',
    });
  const known = bills.map((n) => estate.observed.bills[n]);
  const unknown = bills.filter((_, i) => !known[i]);
  if (unknown.length)
    throw new Refusal('not-now', `The bill of ${unknown.join(', ')} has not been computed yet.`, {
      remedy: 'It is walked at the source within a minute of being declared; look whether the source can be reached.',
    });
  const bill = joinBills('shipment', known as Bill[]);
  const lack = missing(bill, heldBy(seen));
  if (!lack.images.length)
    throw new Refusal('not-now', `${target} holds everything of ${bills.join(', ')}. There is nothing to move.`);
  const site = needIn(estate, 'Site', registry.site);
  const source = estate.registries.find((r) => r.role === 'source');
  if (!source) throw new Refusal('invalid', 'No source registry is declared.');
  return ctx.db.transaction(async (m) => {
    const label = await nextLabel(m, site);
    const {
      identifiers: [made],
    } = await m.insert(Shipments, {
      label,
      source: source.name,
      target,
      way: site.reach === 'sealed' ? 'case' : 'link',
      bills,
      state: 'planned',
      phase: 'plan',
      createdAt: new Date(),
      createdBy: who,
      bytes: lack.bytes,
      paper: lack.paper,
      movedBytes: 0,
      rate: 0,
      resumed: 0,
      error: null,
      startedAt: null,
      endedAt: null,
    });
    const id = (made as { id: number }).id;
    const wanted = new Set([...lack.digests, ...lack.manifests]);
    const items = new Map<string, ShipmentItem>();
    // An image that lacks anything is completed as a whole in its repository: blobs that the registry holds elsewhere are only linked there.
    for (const image of bill.images.filter((i) => lack.images.includes(i.ref))) {
      const { repository, tag } = parseReference(image.ref);
      const add = (digest: string, kind: 'blob' | 'manifest', bytes: number, paper: number, t: string | null = null) =>
        items.set(`${repository} ${digest}`, {
          shipment: id,
          digest,
          repository,
          kind,
          bytes: wanted.has(digest) ? bytes : 0,
          paper: wanted.has(digest) ? paper : 0,
          state: 'wanted',
          tag: t,
          position: items.size,
        });
      for (const b of image.blobs) add(b, 'blob', bill.blobs[b]?.bytes ?? 0, bill.blobs[b]?.paper ?? 0);
      for (const [i, d] of image.manifests.entries())
        add(d, 'manifest', 0, 0, i === image.manifests.length - 1 ? (tag ?? null) : null);
    }
    await m.insert(ShipmentItems, [...items.values()] as never);
    await tell(m, 'Shipment', label);
    return (await m.findOneBy(Shipments, { id })) as Shipment;
  });
}

async function nextLabel(m: EntityManager, site: Site): Promise<string> {
  await m.query('select pg_advisory_xact_lock(727002)');
  const prefix = site.name.toUpperCase();
  const [{ n } = { n: 0 }] = (await m.query(
    "select coalesce(max(split_part(label, '-', 2)::int), 0) + 1 as n from shipment where label like $1",
    [`${prefix}-%`],
  )) as { n: number }[];
  return `${prefix}-${n}`;
}

/** Queues the next phase: a case is packed, later landed; a link shipment goes straight through. */
export async function start(ctx: Context, label: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const rows = (await m.query(
      "with u as (update shipment set state = case when state = 'packed' then 'landing' when way = 'case' and phase <> 'land' then 'packing' else case when way = 'case' then 'landing' else 'moving' end end, phase = case when way = 'link' or state = 'packed' or phase = 'land' then 'land' else 'pack' end, error = null, started_at = now(), ended_at = null, moved_bytes = 0 where label = $1 and state in ('planned', 'packed', 'failed', 'stopped') returning id) select id from u",
      [label],
    )) as { id: number }[];
    if (!rows[0]) throw new Refusal('not-now', `${label} is under way or done.`);
    await ctx.queue.send(m, 'shipment', String(rows[0].id));
    await tell(m, 'Shipment', label);
  });
}

export async function stop(ctx: Context, label: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const rows = (await m.query(
      "with u as (update shipment set state = 'stopped', ended_at = now() where label = $1 and state in ('packing', 'landing', 'moving') returning id) select id from u",
      [label],
    )) as unknown[];
    if (!rows[0]) throw new Refusal('not-now', `${label} is not under way.`);
    await tell(m, 'Shipment', label);
  });
}

/** Carries out the phase a shipment is in. Called again after a kill, it goes on with what is still to do. */
export async function run(ctx: Context, id: number, signal: AbortSignal): Promise<void> {
  const s = await ctx.db.manager.findOneBy(Shipments, { id });
  if (!s || !['packing', 'landing', 'moving'].includes(s.state)) return;
  const { estate } = await loadEstate(ctx.db);
  const halt = new AbortController();
  signal.addEventListener('abort', () => halt.abort(), { once: true });
  const off = ctx.bus.on((e) => {
    if (e.kind === 'Shipment' && e.subject === s.label)
      void ctx.db.manager.findOneBy(Shipments, { id }).then((x) => {
        if (x?.state === 'stopped') halt.abort();
      });
  });
  const target = needIn(estate, 'Registry', s.target);
  const meter = new Meter(ctx, s);
  try {
    const source = await at(ctx, needIn(estate, 'Registry', s.source), halt.signal);
    const to = await at(ctx, target, halt.signal);
    const box = await new CaseLayout(join(ctx.config.dataDir, 'cases', s.label)).open();
    if (s.state === 'packing') await pack(ctx, s, source, box, meter, halt.signal);
    else
      await land(
        ctx,
        s,
        s.state === 'moving' ? source : undefined,
        to,
        box,
        meter,
        halt.signal,
        repositoriesOf(Object.values(estate.observed.bills)),
      );
    await meter.write();
    // Seen first, then said: who reads that it landed finds the findings settled.
    if (s.state !== 'packing') await lookAt(ctx, s.target);
    await ctx.db.transaction(async (m) => {
      await m.query(
        "update shipment set state = $2, ended_at = now() where id = $1 and state in ('packing', 'landing', 'moving')",
        [id, s.state === 'packing' ? 'packed' : 'landed'],
      );
      await tell(m, 'Shipment', s.label);
    });
  } catch (e) {
    if (signal.aborted) throw e;
    if (halt.signal.aborted) return;
    const fault = ProtocolError.from(e, target.endpoint);
    await ctx.db.transaction(async (m) => {
      await m.query("update shipment set state = 'failed', error = $2, ended_at = now() where id = $1", [id, fault.message]);
      await tell(m, 'Shipment', s.label);
    });
  } finally {
    off();
  }
}

const itemsOf = (ctx: Context, s: Shipment, state: string[]) =>
  ctx.db.manager
    .createQueryBuilder(ShipmentItems, 'i')
    .where('i.shipment = :id and i.state in (:...state)', { id: s.id, state })
    .orderBy('i.position')
    .getMany();
/** Marks a blob or manifest in every repository it stands in, or in those given. */
const mark = (ctx: Context, i: ShipmentItem, state: ShipmentItem['state'], repositories: readonly string[] = [i.repository]) =>
  ctx.db.manager.query('update shipment_item set state = $4 where shipment = $1 and digest = $2 and repository = any($3)', [
    i.shipment,
    i.digest,
    repositories,
    state,
  ]);

/** Four at a time over distinct work; the first fault ends it. */
async function inParallel<T>(list: readonly T[], signal: AbortSignal, act: (item: T) => Promise<void>): Promise<void> {
  let next = 0;
  const worker = async () => {
    for (let i = next++; i < list.length; i = next++) {
      if (signal.aborted) throw new ProtocolError('cancelled', 'shipment', 'stopped');
      await act(list[i] as T);
    }
  };
  await Promise.all([worker(), worker(), worker(), worker()]);
}

async function pack(
  ctx: Context,
  s: Shipment,
  source: RegistryAt,
  box: CaseLayout,
  meter: Meter,
  signal: AbortSignal,
): Promise<void> {
  const items = await itemsOf(ctx, s, ['wanted', 'cased']);
  const once = new Map<string, ShipmentItem>();
  for (const i of items) if (i.kind === 'blob' && i.bytes > 0 && !once.has(i.digest)) once.set(i.digest, i);
  await inParallel([...once.values()], signal, async (i) => {
    if (await box.has(i.digest, i.bytes)) meter.add(i.bytes);
    else {
      const from = await box.partial(i.digest);
      meter.add(from);
      await box.take(
        i.digest,
        readOn(source, i.repository, i.digest, i.bytes, from, () => meter.cut()),
        (n) => meter.add(n),
      );
    }
    await mark(ctx, i, 'cased');
  });
  const tops: { digest: string; size: number; mediaType: string; ref: string }[] = [];
  for (const i of items.filter((x) => x.kind === 'manifest')) {
    const m = await getManifest(source, i.repository, i.digest);
    await box.put(i.digest, m.body);
    if (i.tag) tops.push({ digest: i.digest, size: m.body.length, mediaType: m.mediaType, ref: `${i.repository}:${i.tag}` });
    await mark(ctx, i, 'cased');
  }
  await box.close(tops.sort((a, b) => (a.ref < b.ref ? -1 : 1)));
}

/** Lands blobs, then manifests, then tags: what is readable at the target is always whole. `source` absent: from the case. */
async function land(
  ctx: Context,
  s: Shipment,
  source: RegistryAt | undefined,
  to: RegistryAt,
  box: CaseLayout,
  meter: Meter,
  signal: AbortSignal,
  places: Map<string, Set<string>>,
): Promise<void> {
  const items = await itemsOf(ctx, s, ['wanted', 'cased']);
  const landedAt = new Map<string, string>();
  for (const i of await itemsOf(ctx, s, ['landed'])) {
    if (i.kind === 'blob') {
      landedAt.set(i.digest, i.repository);
      meter.add(i.bytes);
    }
  }
  const bySize = new Map<string, ShipmentItem[]>();
  for (const i of items) if (i.kind === 'blob') bySize.set(i.digest, [...(bySize.get(i.digest) ?? []), i]);
  await inParallel([...bySize.values()], signal, async (same) => {
    for (const i of same) {
      const from = landedAt.get(i.digest);
      if (from && (await mountBlob(to, i.repository, i.digest, from))) continue;
      if (await hasBlob(to, i.repository, i.digest)) meter.add(i.bytes);
      else if (!(i.bytes === 0 && (await mountAnywhere(s, to, i, places)))) await push(source, to, box, i, meter);
      landedAt.set(i.digest, i.repository);
    }
    await mark(
      ctx,
      same[0] as ShipmentItem,
      'landed',
      same.map((i) => i.repository),
    );
  });
  const byRepository = new Map<string, ShipmentItem[]>();
  for (const i of items)
    if (i.kind === 'manifest') byRepository.set(i.repository, [...(byRepository.get(i.repository) ?? []), i]);
  // Within a repository in order: what an index names is there before the index.
  await inParallel([...byRepository.values()], signal, async (list) => {
    for (const i of list) await landManifest(i);
  });
  async function landManifest(i: ShipmentItem) {
    const m = source ? await getManifest(source, i.repository, i.digest) : { body: await box.get(i.digest), mediaType: '' };
    const type =
      m.mediaType ||
      (JSON.parse(m.body.toString('utf8')) as { mediaType?: string }).mediaType ||
      'application/vnd.oci.image.manifest.v1+json';
    await putManifest(to, i.repository, i.tag ?? i.digest, type, m.body);
    await mark(ctx, i, 'landed');
  }
}

/** Every repository that some bill has a blob in. */
function repositoriesOf(bills: readonly Bill[]): Map<string, Set<string>> {
  const places = new Map<string, Set<string>>();
  for (const bill of bills)
    for (const image of bill.images) {
      const { repository } = parseReference(image.ref);
      for (const b of image.blobs) places.set(b, (places.get(b) ?? new Set()).add(repository));
    }
  return places;
}

/** The registry holds the blob under another repository of the known bills: linked there instead of sent. */
async function mountAnywhere(s: Shipment, to: RegistryAt, i: ShipmentItem, places: Map<string, Set<string>>): Promise<boolean> {
  for (const repository of places.get(i.digest) ?? [])
    if (repository !== i.repository && (await mountBlob(to, i.repository, i.digest, repository))) return true;
  throw new ProtocolError(
    'missing',
    s.target,
    `${i.digest.slice(0, 19)} was held when the shipment was planned and is not any more`,
  );
}

async function push(
  source: RegistryAt | undefined,
  to: RegistryAt,
  box: CaseLayout,
  i: ShipmentItem,
  meter: Meter,
): Promise<void> {
  const size = i.bytes;
  const hash = createHash('sha256');
  const bytes = source ? readOn(source, i.repository, i.digest, size, 0, () => meter.cut()) : box.stream(i.digest);
  async function* counted() {
    for await (const chunk of bytes) {
      hash.update(chunk as Buffer);
      meter.add((chunk as Buffer).length);
      yield chunk as Buffer;
    }
  }
  try {
    await pushBlob(to, i.repository, i.digest, size, Readable.from(counted()));
  } catch (e) {
    const cause = e as Error & { cause?: unknown };
    throw cause.cause instanceof ProtocolError ? cause.cause : e;
  }
  if (`sha256:${hash.digest('hex')}` !== i.digest)
    throw new ProtocolError(
      'digest',
      source?.endpoint ?? 'the case',
      `${i.digest.slice(0, 19)} was read with other bytes; the registry refused them`,
    );
}

/** Amount and rate, written at most four times a second. */
class Meter {
  private moved = 0;
  private cuts = 0;
  private last = 0;
  private since = Date.now();
  private timer: NodeJS.Timeout | undefined;
  constructor(
    private readonly ctx: Context,
    private readonly s: Shipment,
  ) {}
  add(n: number): void {
    this.moved += n;
    this.later();
  }
  cut(): void {
    this.cuts++;
    this.later();
  }
  private later(): void {
    this.timer ??= setTimeout(
      () => {
        this.timer = undefined;
        void this.write().catch(() => undefined);
      },
      Math.max(0, 250 - (Date.now() - this.last)),
    );
  }
  async write(): Promise<void> {
    clearTimeout(this.timer);
    this.timer = undefined;
    this.last = Date.now();
    const rate = Math.round(this.moved / Math.max(0.001, (this.last - this.since) / 1000));
    await this.ctx.db.manager.query('update shipment set moved_bytes = $2, rate = $3, resumed = $4 where id = $1', [
      this.s.id,
      Math.min(this.moved, this.s.bytes),
      rate,
      this.s.resumed + this.cuts,
    ]);
    await whisper(this.ctx.db.manager, 'ShipmentProgress', this.s.label);
  }
}
