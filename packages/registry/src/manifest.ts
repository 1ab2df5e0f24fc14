/** Content that a manifest names, with the bytes that it says it has. */
export interface Sized {
  digest: string;
  size: number;
}
/** Media types of manifests, and whether each is an index. */
export const manifestTypes = new Map([
  ['application/vnd.oci.image.manifest.v1+json', false],
  ['application/vnd.oci.image.index.v1+json', true],
  ['application/vnd.docker.distribution.manifest.v2+json', false],
  ['application/vnd.docker.distribution.manifest.list.v2+json', true],
]);

/** What a manifest or index says of other content (OCI image specification 1.1). */
export interface Referred {
  index: boolean;
  manifests: Sized[];
  blobs: Sized[];
  subject?: string;
  artifactType?: string;
  annotations?: Record<string, string>;
}

const digestPattern = /^sha256:[0-9a-f]{64}$/;
/** Artifacts without configuration name this one: two bytes, `{}`. */
/** What is stored already is read as it is: a size is asked for when a manifest comes. */
const goodWhen =
  (strict: boolean) =>
  (d: { digest?: unknown; size?: unknown } | undefined): Sized => {
    if (typeof d?.digest !== 'string' || !digestPattern.test(d.digest)) throw new Error('a descriptor has no sha256 digest');
    if (!strict) return { digest: d.digest, size: Number(d.size ?? 0) };
    if (!Number.isSafeInteger(d.size) || (d.size as number) < 0) throw new Error(`the descriptor of ${d.digest} has no size`);
    return { digest: d.digest, size: d.size as number };
  };

/** `type` is the media type that it came under; a manifest that says another is refused. @throws Error when it is neither an image index nor an image manifest */
export function readManifest(body: Buffer, type?: string): Referred {
  let doc: {
    mediaType?: string;
    manifests?: { digest: string; size: number }[];
    config?: { digest: string; size: number; mediaType?: string };
    layers?: { digest: string; size: number }[];
    subject?: { digest: string; size: number };
    artifactType?: string;
    annotations?: Record<string, string>;
  };
  try {
    doc = JSON.parse(body.toString('utf8')) as typeof doc;
  } catch {
    throw new Error('it is not JSON');
  }
  if (!doc || typeof doc !== 'object') throw new Error('neither an image index nor an image manifest');
  const good = goodWhen(type !== undefined);
  if (type && doc.mediaType !== undefined && doc.mediaType !== type)
    throw new Error(`it says that it is ${String(doc.mediaType).slice(0, 80)}, and came as ${type}`);
  const isIndex = Array.isArray(doc.manifests);
  if (type && manifestTypes.get(type) !== undefined && manifestTypes.get(type) !== isIndex)
    throw new Error(`it is not what ${type} is`);
  const about = {
    ...(doc.subject ? { subject: good(doc.subject).digest } : {}),
    ...(doc.annotations ? { annotations: doc.annotations } : {}),
  };
  if (Array.isArray(doc.manifests))
    return {
      index: true,
      manifests: doc.manifests.map(good),
      blobs: [],
      ...about,
      ...(doc.artifactType ? { artifactType: doc.artifactType } : {}),
    };
  if (!doc.config || !Array.isArray(doc.layers)) throw new Error('neither an image index nor an image manifest');
  const artifactType = doc.artifactType ?? doc.config.mediaType;
  return {
    index: false,
    manifests: [],
    blobs: [...new Map([doc.config, ...doc.layers].map(good).map((d) => [`${d.digest} ${d.size}`, d])).values()],
    ...about,
    ...(artifactType ? { artifactType } : {}),
  };
}
