import type { Bill } from '../model/observed.ts';
import { type Keeping, keptAt } from './mirror.ts';

/** An image as a registry is asked for it: where it keeps it, and what it is made of. */
export interface AskedImage {
  repository: string;
  tag?: string | undefined;
  digest: string;
  manifests: readonly string[];
  blobs: readonly string[];
}

/** Everything that some bills name, each image once, as a registry is asked for it that tells no list of what it holds. */
export function askedImages(bills: readonly Bill[], registry: Keeping | undefined): AskedImage[] {
  const images = new Map<string, AskedImage>();
  for (const b of bills)
    for (const i of b.images) {
      const { repository, tag } = keptAt(i.ref, registry);
      images.set(`${repository}:${tag ?? ''}@${i.digest}`, {
        ...{ repository, tag, digest: i.digest },
        ...{ manifests: i.manifests, blobs: i.blobs },
      });
    }
  return [...images.values()];
}
