import type { AskedImage } from '@praesidor/core/images';
import { getManifest, hasBlob, hasManifest, ping } from './client.ts';
import { held, tellsNoMore } from './ours.ts';
import type { RegistryAt } from './session.ts';

/**
 * What a registry that tells no more than the standard holds of some images (OCI distribution 1.1, end-2 and end-3): each name
 * is asked for, then the manifests and blobs of those that are answered to. What is `known` to be there is believed. An image
 * whose name is not answered to counts as lacking as a whole: whoever ships it asks for each blob before sending it.
 * Answers digests, and names as repository:tag@digest.
 */
export async function heldOf(
  r: RegistryAt,
  images: readonly AskedImage[],
  known: ReadonlySet<string> = new Set(),
): Promise<{ digests: string[]; names: string[] }> {
  const digests = new Set<string>();
  const names = new Set<string>();
  const asked = new Map<string, Promise<void>>();
  const once = (key: string, ask: () => Promise<void>) => {
    const before = asked.get(key);
    if (before) return before;
    const now = ask();
    asked.set(key, now);
    return now;
  };
  const whole = async (i: AskedImage) => {
    const reference = i.tag ?? i.digest;
    const told = await hasManifest(r, i.repository, reference);
    if (told === undefined) return;
    // The header that names the digest is optional: without it the manifest itself says what it is.
    const stands = told || (await getManifest(r, i.repository, reference)).digest;
    if (i.tag) names.add(`${i.repository}:${i.tag}@${stands}`);
    for (const m of i.manifests)
      await once(m, async () => {
        if (known.has(m) || m === stands || (await hasManifest(r, i.repository, m)) !== undefined) digests.add(m);
      });
    for (const b of i.blobs)
      if (!digests.has(b))
        await once(b, async () => {
          if (known.has(b) || (await hasBlob(r, i.repository, b))) digests.add(b);
        });
  };
  let next = 0;
  const lane = async () => {
    for (let n = next++; n < images.length; n = next++) await whole(images[n] as AskedImage);
  };
  await Promise.all(Array.from({ length: 8 }, lane));
  return { digests: [...digests].sort(), names: [...names].sort() };
}

/**
 * What a registry holds: as it tells itself, or of `images` where it tells no more than the standard (`asked`); then what is
 * `known` to be there is believed. @throws ProtocolError
 */
export async function heldAt(
  r: RegistryAt,
  images: () =>
    | { images: readonly AskedImage[]; known?: ReadonlySet<string> }
    | Promise<{ images: readonly AskedImage[]; known?: ReadonlySet<string> }>,
): Promise<{ digests: string[]; names?: string[]; used?: number; free?: number; asked: boolean }> {
  try {
    return { ...(await held(r)), asked: false };
  } catch (e) {
    if (!tellsNoMore(e)) throw e;
  }
  await ping(r);
  const { images: list, known } = await images();
  return { ...(await heldOf(r, list, known)), asked: true };
}
