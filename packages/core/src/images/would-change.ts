import { z } from 'zod';
import { same } from '../model/difference.ts';
import type { Bill, SeenRegistry } from '../model/observed.ts';
import type { Registry } from '../model/documents.ts';
import { keptAt } from './mirror.ts';
import type { ShipmentManifest } from './shipment-manifest.ts';

/** What landing a shipment would do to a registry, image by image. */
export const LandingChange = z.strictObject({
  image: z.string(),
  digest: z.string(),
  /** `moves`: a name that stands for another image there now. */
  what: z.enum(['adds', 'moves', 'same']),
  /** Digest that the name stands for now. */
  before: z.string().optional(),
  /** What a bill that is known here says of the name, where it is another. */
  bill: z.strictObject({ name: z.string(), digest: z.string() }).optional(),
  /** No bill that is known here names it. */
  unknown: z.literal(true).optional(),
});
export type LandingChange = z.infer<typeof LandingChange>;

/**
 * A shipment's manifest held against what the registry holds, and against the bills that are known here: whoever looks at
 * it sees every name that would come or move, and every one that a bill has otherwise.
 */
export function landingChanges(
  w: Pick<ShipmentManifest, 'images'>,
  bills: readonly Bill[],
  registry: Registry,
  seen: Pick<SeenRegistry, 'names'> | undefined,
): LandingChange[] {
  const named = new Map<string, { name: string; digest: string }>();
  for (const b of bills)
    for (const i of b.images) {
      const { repository, tag } = keptAt(i.ref, registry);
      if (tag) named.set(`${repository}:${tag}`, { name: b.name, digest: i.digest });
    }
  const now = new Map((seen?.names ?? []).map((n) => [n.slice(0, n.lastIndexOf('@')), n.slice(n.lastIndexOf('@') + 1)]));
  return w.images.map((i): LandingChange => {
    const image = i.tag ? `${i.repository}:${i.tag}` : `${i.repository}@${i.digest}`;
    const before = now.get(image);
    const bill = named.get(image);
    return {
      image,
      digest: i.digest,
      what: !before ? 'adds' : before === i.digest ? 'same' : 'moves',
      ...(before && before !== i.digest ? { before } : {}),
      ...(bill && bill.digest !== i.digest ? { bill } : {}),
      ...(bill || !i.tag ? {} : { unknown: true as const }),
    };
  });
}

/** Whether two manifests are of one shipment: everything but the checksums of parts, which are known only when packed. */
export function sameShipment(a: ShipmentManifest, b: ShipmentManifest): boolean {
  const bare = (w: ShipmentManifest) => ({
    ...w,
    cases: w.cases.map((c) => ({ ...c, pieces: c.pieces.map(({ sha256: _, ...p }) => p) })),
  });
  return same(bare(a), bare(b));
}
