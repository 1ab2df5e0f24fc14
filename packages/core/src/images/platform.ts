import type { Charter } from '../model/documents.ts';
import type { Bill } from '../model/observed.ts';

/**
 * The digest of the manifest that machines of an architecture take of an image: a bill has them in the order of the architectures that were
 * walked, and last the one over all. undefined: the image was not walked for it.
 */
export function manifestFor(
  image: Pick<Bill['images'][number], 'manifests' | 'arch'>,
  arch: Charter['arch'],
): string | undefined {
  const nth = image.arch ? image.arch.indexOf(arch) : 0;
  return nth < 0 ? undefined : image.manifests[nth];
}
