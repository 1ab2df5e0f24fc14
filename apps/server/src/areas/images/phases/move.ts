import { heldBy, isOpen, parseReference, type Way } from '@praesidor/core/images';
import type { Bill } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { getManifest, hasBlob, mountBlob, putManifest, type RegistryAt } from '@praesidor/protocols/oci';
import { inParallel, Pacer } from '@praesidor/shipping';
import type { Context } from '../../../context.ts';
import { type ShipmentItem, ShipmentItems } from '../../../db/tables.ts';
import { needIn } from '../../../estate/documents.ts';
import { at, lookAt } from '../registries.ts';
import type { Phase, PhaseEnd } from './index.ts';

/**
 * Moves a shipment over its link, from registry to registry: blobs, then manifests, then names, so that what is
 * readable at the target is always whole. Paced to the link's rate, and only in its hours.
 */
export async function move({ ctx, estate, s, target, meter, signal }: Phase): Promise<PhaseEnd> {
  const source = await at(ctx, needIn(estate, 'Registry', s.source), signal);
  const to = await at(ctx, target, signal);
  const site = needIn(estate, 'Site', target.site);
  const way: Way | undefined = s.way === 'alongside' ? site.alongside : site.link;
  const pacer = new Pacer(way?.rateMbit, (now) => (way ? isOpen(way, site.timezone, now) : { open: true }));
  await pacer.pass(0, signal);
  const items = await ctx.db.manager.find(ShipmentItems, { where: { shipment: s.id }, order: { position: 'ASC' } });
  const places = repositoriesOf(Object.values(estate.observed.bills));
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
  // What it holds is asked once and not blob by blob; a registry that does not tell is asked for each.
  const seen = await lookAt(ctx, s.target);
  const known = seen.error ? undefined : heldBy(seen);
  // Opened last, so that nothing that fails before leaves it open.
  const route = await ctx.carrier.open(
    { source: placeOf(source), to: placeOf(to), detours: ctx.config.detours, way, timezone: site.timezone },
    async (name) => (await ctx.dialer.locate(name, 443)).address,
    signal,
  );
  const push = (i: ShipmentItem): Promise<void> =>
    route.carry(
      { repository: i.repository, digest: i.digest, bytes: i.bytes, upload: i.upload ?? undefined },
      {
        onBytes: (n) => meter.add(n),
        onCut: () => meter.cut(),
        onOpened: async (location) => {
          await ctx.db.manager.query(
            'update shipment_item set upload = $4 where shipment = $1 and digest = $2 and repository = $3',
            [i.shipment, i.digest, i.repository, location],
          );
        },
      },
    );
  try {
    await inParallel([...todo.values()], 5, signal, async (same) => {
      for (const i of same) {
        const from = landed.get(i.digest);
        if (from && (await mountBlob(to, i.repository, i.digest, from))) continue;
        if ((!known || known.has(i.digest)) && (await hasBlob(to, i.repository, i.digest))) meter.add(i.bytes);
        else if (!(i.bytes === 0 && (await mountAnywhere(i)))) await push(i);
        landed.set(i.digest, i.repository);
      }
      for (const i of same) done.add(i);
    });
  } finally {
    route.close();
  }
  const manifests = new Map<string, ShipmentItem[]>();
  for (const i of items)
    if (i.kind === 'manifest' && i.state !== 'landed') manifests.set(i.repository, [...(manifests.get(i.repository) ?? []), i]);
  // Within a repository in order: what an index names is there before the index.
  await inParallel([...manifests.values()], 4, signal, async (list) => {
    for (const i of list) {
      const m = await getManifest(source, i.repository, i.digest);
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
      `${i.digest.slice(0, 19)} was held when the shipment was planned and is not any more`,
    );
  }
}

const placeOf = ({ dialer, signal, ...place }: RegistryAt) => place;

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
