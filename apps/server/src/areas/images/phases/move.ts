import { heldBy, isOpen, keptAt, placesAt, staysWithin, type Way } from '@praesidor/core/images';
import type { Bill, Registry } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { getManifest, hasBlob, mountBlob, putManifest } from '@praesidor/protocols/oci';
import { inParallel, Pacer } from '@praesidor/shipping';
import type { Context } from '../../../context.ts';
import { type ShipmentItem, ShipmentItems } from '../../../db/tables.ts';
import { needIn } from '../../../estate/documents.ts';
import { Refusal } from '../../../refusal.ts';
import { openRegistry, lookAt } from '../registries.ts';
import type { Phase, PhaseEnd } from './index.ts';
import { openRoute } from './route.ts';

/**
 * Moves a shipment over its link, from registry to registry: blobs, then manifests, then names, so that what is
 * readable at the target is always whole. Paced to the link's rate, and only in its hours.
 */
export async function move({ ctx, estate, s, target, meter, signal }: Phase): Promise<PhaseEnd> {
  const origin = needIn(estate, 'Registry', s.source);
  const source = await openRegistry(ctx, origin, signal);
  const to = await openRegistry(ctx, target, signal);
  const site = needIn(estate, 'Site', target.site);
  // Within a site nothing passes the link that reaches it.
  const way: Way | undefined = staysWithin(origin, target) ? undefined : s.way === 'fast-link' ? site.fastLink : site.link;
  const pacer = new Pacer(way?.rateMbit, (now) => (way ? isOpen(way, site.timezone, now) : { open: true }));
  await pacer.pass(0, signal);
  // The hours that it waited for have come.
  await ctx.db.manager.query("update shipment set state = 'moving', resume_at = null where id = $1 and state = 'waiting'", [
    s.id,
  ]);
  const items = await ctx.db.manager.find(ShipmentItems, { where: { shipment: s.id }, order: { position: 'ASC' } });
  const bills = Object.values(estate.observed.bills);
  const places = repositoriesOf(bills, target);
  const from = pathsAt(bills, origin, target);
  const landed = new Map<string, string>();
  const todo = new Map<string, ShipmentItem[]>();
  for (const i of items) {
    if (i.state === 'landed') {
      if (i.kind === 'blob' && !landed.has(i.digest)) {
        landed.set(i.digest, i.repository);
        meter.add(i.bytes);
      }
    } else if (i.kind === 'blob') todo.set(i.digest, [...(todo.get(i.digest) ?? []), i]);
  }
  const done = new Marks(ctx, s.id);
  // What it holds is asked once and not blob by blob; a registry that tells no list is asked for each.
  const seen = await lookAt(ctx, s.target);
  const known = seen.error || seen.askedAt ? undefined : heldBy(seen, target);
  // Opened last, so that nothing that fails before leaves it open.
  const route = await openRoute(ctx, { source, to, way, timezone: site.timezone }, signal);
  const push = (i: ShipmentItem): Promise<void> =>
    route.carry(
      { repository: i.repository, from: from(i), digest: i.digest, bytes: i.bytes, upload: i.upload ?? undefined },
      {
        onBytes: (n) => meter.add(n),
        onCut: () => meter.cut(),
        onWrong: () => meter.wrong(i.digest),
        onOpened: async (location) => {
          await ctx.db.manager.query(
            'update shipment_item set upload = $4 where shipment = $1 and digest = $2 and repository = $3',
            [i.shipment, i.digest, i.repository, location],
          );
        },
      },
    );
  try {
    const carry = async (same: ShipmentItem[]) => {
      for (const i of same) {
        const beside = landed.get(i.digest);
        if (beside && (await mountBlob(to, i.repository, i.digest, beside))) continue;
        if ((!known || known.has(i.digest)) && (await hasBlob(to, i.repository, i.digest))) meter.add(i.bytes);
        else if (!(i.bytes === 0 && (await mountAnywhere(i)))) await push(i);
        landed.set(i.digest, i.repository);
      }
      for (const i of same) done.add(i);
    };
    // Small ones wait for answers and disks, and are carried many together; large ones wait for the link.
    const small = (same: ShipmentItem[]) => (same[0]?.bytes ?? 0) <= 262_144;
    await inParallel([...todo.values()].filter(small), 160, signal, carry);
    await inParallel(
      [...todo.values()].filter((same) => !small(same)),
      5,
      signal,
      carry,
    );
  } finally {
    route.close();
  }
  const manifests = new Map<string, ShipmentItem[]>();
  for (const i of items)
    if (i.kind === 'manifest' && i.state !== 'landed') manifests.set(i.repository, [...(manifests.get(i.repository) ?? []), i]);
  // Within a repository in order: what an index names is there before the index. A connection costs as much as some manifests.
  await inParallel([...manifests.values()], 6, signal, async (list) => {
    for (const i of list) {
      const m = await getManifest(source, from(i), i.digest);
      await pacer.pass(m.body.length, signal);
      await putManifest(to, i.repository, i.tag ?? i.digest, m.mediaType || 'application/vnd.oci.image.manifest.v1+json', m.body);
      done.add(i);
    }
  });
  await done.write();
  return { state: 'landed' };

  /** The registry holds the blob under another repository of the known bills: linked there instead of sent. */
  async function mountAnywhere(i: ShipmentItem): Promise<boolean> {
    for (const repository of places.get(i.digest) ?? [])
      if (repository !== i.repository && (await mountBlob(to, i.repository, i.digest, repository))) return true;
    throw new ProtocolError(
      'missing',
      s.target,
      `${i.digest.slice(0, 19)} was present when the shipment was planned and is not any more`,
    );
  }
}

/** Items that landed, written together a few times a second; what a kill leaves unwritten is found at the target. */
class Marks {
  private waiting: ShipmentItem[] = [];
  private timer: NodeJS.Timeout | undefined;
  constructor(
    private readonly ctx: Context,
    private readonly shipment: number,
  ) {}
  add(i: ShipmentItem): void {
    this.waiting.push(i);
    this.timer ??= setTimeout(() => void this.write().catch(() => undefined), 200);
  }
  async write(): Promise<void> {
    clearTimeout(this.timer);
    this.timer = undefined;
    const items = this.waiting.splice(0);
    if (!items.length) return;
    await this.ctx.db.manager.query(
      "update shipment_item i set state = 'landed', upload = null from unnest($2::text[], $3::text[]) w(digest, repository) where i.shipment = $1 and i.digest = w.digest and i.repository = w.repository",
      [this.shipment, items.map((i) => i.digest), items.map((i) => i.repository)],
    );
  }
}

/** Where the source keeps what a plan puts somewhere at the target. @throws Refusal when the target keeps it elsewhere by now */
function pathsAt(bills: readonly Bill[], source: Registry, target: Registry): (i: ShipmentItem) => string {
  if (!source.keeps?.length && !target.keeps?.length) return (i) => i.repository;
  const paths = new Map<string, string>();
  for (const b of bills) for (const i of b.images) paths.set(keptAt(i.ref, target).repository, keptAt(i.ref, source).repository);
  return (i) => {
    const path = paths.get(i.repository);
    if (path === undefined)
      throw new Refusal(
        'conflict',
        `${target.name} keeps nothing under ${i.repository} any more, as it did when this was planned.`,
        {
          remedy: 'Plan the shipment again.',
        },
      );
    return path;
  };
}

/** Every repository of a registry that some bill has a blob in. */
function repositoriesOf(bills: readonly Bill[], registry: Registry): Map<string, Set<string>> {
  const places = new Map<string, Set<string>>();
  for (const bill of bills)
    for (const image of bill.images) {
      for (const p of placesAt(image.ref, registry))
        for (const b of image.blobs) places.set(b, (places.get(b) ?? new Set()).add(p));
    }
  return places;
}
