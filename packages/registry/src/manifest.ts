/** What a manifest or index says of other content (OCI image specification 1.1). */
export interface Referred {
  index: boolean;
  manifests: string[];
  blobs: string[];
  subject?: string;
  artifactType?: string;
  annotations?: Record<string, string>;
}

const digestPattern = /^sha256:[0-9a-f]{64}$/;
/** Artifacts without configuration name this one: two bytes, `{}`. */
const good = (d: { digest?: unknown } | undefined): string => {
  if (typeof d?.digest !== 'string' || !digestPattern.test(d.digest)) throw new Error('a descriptor has no sha256 digest');
  return d.digest;
};

/** @throws Error when it is neither an image index nor an image manifest */
export function readManifest(body: Buffer): Referred {
  let doc: {
    manifests?: { digest: string }[];
    config?: { digest: string; mediaType?: string };
    layers?: { digest: string }[];
    subject?: { digest: string };
    artifactType?: string;
    annotations?: Record<string, string>;
  };
  try {
    doc = JSON.parse(body.toString('utf8')) as typeof doc;
  } catch {
    throw new Error('it is not JSON');
  }
  if (!doc || typeof doc !== 'object') throw new Error('neither an image index nor an image manifest');
  const about = {
    ...(doc.subject ? { subject: good(doc.subject) } : {}),
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
    blobs: [...new Set([doc.config, ...doc.layers].map(good))],
    ...about,
    ...(artifactType ? { artifactType } : {}),
  };
}
