import { type Keeping, keptAt } from '@praesidor/core/images';
import type { Bill } from '@praesidor/core/model';
import { ProtocolError } from '../dial/index.ts';
import { getManifest, type Manifest } from './client.ts';
import type { RegistryAt } from './session.ts';

/** Publishers that declare a size other than what is transferred say so here, in bytes, on the descriptor. */
export const paperSize = 'example.praesidor.declared-size';
export const architecture = { 'x86-64': 'amd64', arm64: 'arm64' } as const;

type Arch = keyof typeof architecture;

/**
 * The bill of a list of components: each image's index → manifest of each architecture → config and layers,
 * every blob once. Four walks at a time. A component may be made for fewer architectures than the release; the registry
 * may keep it under another path than its own.
 * @throws ProtocolError naming the image that could not be read, or lacks an architecture that is asked for.
 */
export async function walkBill(
  registry: RegistryAt,
  name: string,
  components: readonly { name: string; image: string; on: string; arch?: readonly Arch[] | undefined }[],
  archs: readonly Arch[],
  at: string,
  keeping?: Keeping,
): Promise<Bill> {
  const bill: Bill = { name, at, images: [], blobs: {} };
  const found: Bill['images'] = new Array(components.length);
  let next = 0;
  const worker = async () => {
    for (let i = next++; i < components.length; i = next++) {
      const c = components[i] as (typeof components)[number];
      const ref = keptAt(c.image, keeping);
      const wanted = c.arch ? archs.filter((a) => c.arch?.includes(a)) : archs;
      const top = await getManifest(registry, ref.repository, ref.digest ?? ref.tag ?? 'latest');
      const manifests: Manifest[] = [];
      for (const arch of top.json.manifests ? wanted : []) {
        const child = top.json.manifests?.find((d) => d.platform?.architecture === architecture[arch]);
        if (!child)
          throw new ProtocolError(
            'missing',
            registry.endpoint,
            `${c.image} has no manifest for ${arch}; it has ${top.json.manifests?.map((d) => d.platform?.architecture ?? '?').join(', ')}`,
          );
        manifests.push(await getManifest(registry, ref.repository, child.digest));
      }
      manifests.push(top);
      const blobs = manifests.flatMap((m) => [...(m.json.config ? [m.json.config] : []), ...(m.json.layers ?? [])]);
      for (const d of blobs) bill.blobs[d.digest] = { bytes: d.size, declaredBytes: declared(d) };
      found[i] = {
        ref: c.image,
        component: c.name,
        on: c.on,
        digest: top.digest,
        manifests: manifests.map((m) => m.digest),
        blobs: [...new Set(blobs.map((b) => b.digest))],
        ...(archs.length > 1 ? { arch: [...wanted] } : {}),
      };
    }
  };
  await Promise.all([worker(), worker(), worker(), worker()]);
  bill.images = found;
  bill.blobs = Object.fromEntries(Object.entries(bill.blobs).sort(([a], [b]) => (a < b ? -1 : 1)));
  return bill;
}

/** The size that a publisher declares; one that is none is not believed. */
function declared(d: { size: number; annotations?: Record<string, string> }): number {
  const said = d.annotations?.[paperSize];
  return said !== undefined && /^\d{1,15}$/.test(said) ? Number(said) : d.size;
}
