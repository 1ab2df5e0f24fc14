import { createCipheriv, createHash } from 'node:crypto';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createRegistry, showPair, type Store } from '@praesidor/registry';
import { parseReference } from '@praesidor/core/images';
import { paperSize } from '@praesidor/protocols/oci';
import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import type { Pair } from './certificates.ts';
import type { Faults } from './faults.ts';

/** What to publish under one image name: layers by a key (equal keys are the same layer) with the size on paper. */
export interface Publication {
  image: string;
  layers: { key: string; declaredBytes: number; title?: string; bytes?: Buffer }[];
}

const scale = 2000;

const block = 512;
/** Header, and the two empty blocks at the end. */
const around = 3 * block;

/**
 * Bytes of a layer: an archive with one file (ustar, POSIX.1-1988), which a runtime unpacks; always the same for a key, and to a
 * block a two-thousandth of its size on paper.
 */
export function layerBytes(key: string, declaredBytes: number): Buffer {
  const seed = createHash('sha256').update(key).digest();
  const size = Math.max(64, Math.round(declaredBytes / scale) - around);
  const content = createCipheriv('aes-256-ctr', seed, seed.subarray(0, 16)).update(Buffer.alloc(size));
  const archive = Buffer.alloc(around + Math.ceil(size / block) * block);
  const field = (text: string, at: number) => archive.write(text, at, 'latin1');
  field(`usr/share/layers/${seed.toString('hex', 0, 16)}`, 0);
  field('0000644\0', 100);
  field('0000000\0', 108);
  field('0000000\0', 116);
  field(`${size.toString(8).padStart(11, '0')}\0`, 124);
  field('00000000000\0', 136);
  field('        0', 148);
  field('ustar\x0000', 257);
  const sum = archive.subarray(0, block).reduce((n, x) => n + x, 0);
  field(`${sum.toString(8).padStart(6, '0')}\0 `, 148);
  content.copy(archive, block);
  return archive;
}

const sha = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;

/** Lays publications into a store, straight on the disk, once; `without` names layer keys that are left out. */
export async function publish(
  store: Store,
  publications: readonly Publication[],
  without: ReadonlySet<string> = new Set(),
  documents: readonly { tag: string; text: string }[] = [],
): Promise<void> {
  const marker = join(store.dir, 'published');
  if (existsSync(marker)) return;
  const blob = (repo: string, bytes: Buffer) => {
    const digest = sha(bytes);
    const dir = join(store.dir, 'repos', ...repo.split('/').map((p) => `_${p}`));
    for (const d of ['blobs', 'manifests', 'tags']) mkdirSync(join(dir, d), { recursive: true });
    const path = join(store.dir, 'blobs/sha256', digest.slice(7));
    if (!existsSync(path)) writeFileSync(path, bytes);
    writeFileSync(join(dir, 'blobs', digest.slice(7)), '');
    return { digest, dir };
  };
  for (const p of publications) {
    const { repository, tag } = parseReference(p.image);
    const config = Buffer.from(
      JSON.stringify({
        architecture: 'amd64',
        os: 'linux',
        config: {},
        rootfs: { type: 'layers', diff_ids: p.layers.map((l) => sha(l.bytes ?? layerBytes(l.key, l.declaredBytes))) },
      }),
    );
    const lacking = p.layers.some((l) => without.has(l.key));
    const layers = [];
    for (const l of p.layers) {
      const bytes = l.bytes ?? layerBytes(l.key, l.declaredBytes);
      if (!without.has(l.key)) blob(repository, bytes);
      layers.push({
        mediaType: 'application/vnd.oci.image.layer.v1.tar',
        digest: sha(bytes),
        size: bytes.length,
        annotations: { [paperSize]: String(l.declaredBytes), ...(l.title ? { 'org.opencontainers.image.title': l.title } : {}) },
      });
    }
    const { digest: configDigest } = blob(repository, config);
    const manifest = Buffer.from(
      JSON.stringify({
        schemaVersion: 2,
        mediaType: 'application/vnd.oci.image.manifest.v1+json',
        config: { mediaType: 'application/vnd.oci.image.config.v1+json', digest: configDigest, size: config.length },
        layers,
      }),
    );
    const index = Buffer.from(
      JSON.stringify({
        schemaVersion: 2,
        mediaType: 'application/vnd.oci.image.index.v1+json',
        manifests: [
          {
            mediaType: 'application/vnd.oci.image.manifest.v1+json',
            digest: sha(manifest),
            size: manifest.length,
            platform: { architecture: 'amd64', os: 'linux' },
          },
        ],
      }),
    );
    if (lacking) continue;
    for (const [bytes, type] of [
      [manifest, 'manifest'],
      [index, 'index'],
    ] as const) {
      const dir = join(store.dir, 'repos', ...repository.split('/').map((x) => `_${x}`));
      writeFileSync(join(store.dir, 'blobs/sha256', sha(bytes).slice(7)), bytes);
      mkdirSync(join(dir, 'manifests'), { recursive: true });
      writeFileSync(join(dir, 'manifests', sha(bytes).slice(7)), `application/vnd.oci.image.${type}.v1+json`);
    }
    writeFileSync(join(store.dir, 'repos', ...repository.split('/').map((x) => `_${x}`), 'tags', tag ?? 'latest'), sha(index));
  }
  for (const d of documents) {
    const repo = 'praesidor/releases';
    const bytes = Buffer.from(d.text);
    const layer = blob(repo, bytes);
    const empty = blob(repo, Buffer.from('{}'));
    const body = Buffer.from(
      JSON.stringify({
        schemaVersion: 2,
        mediaType: 'application/vnd.oci.image.manifest.v1+json',
        artifactType: 'application/vnd.praesidor.release.v1+yaml',
        config: { mediaType: 'application/vnd.oci.empty.v1+json', digest: empty.digest, size: 2 },
        layers: [{ mediaType: 'application/vnd.praesidor.release.v1+yaml', digest: layer.digest, size: bytes.length }],
      }),
    );
    const { digest, dir } = blob(repo, body);
    writeFileSync(join(dir, 'manifests', digest.slice(7)), 'application/vnd.oci.image.manifest.v1+json');
    writeFileSync(join(dir, 'tags', d.tag), digest);
  }
  writeFileSync(marker, new Date().toISOString());
}

/** The product's registry with faults in front of it. */
export function faultyRegistry(
  name: string,
  store: Store,
  first: Pair,
  wrong: Pair,
  ended: Pair,
  faults: Faults,
  users?: Record<string, string>,
  writers?: string[],
  scheme?: 'basic' | 'bearer',
  /** Keeps a certificate that is handed over. */
  keep?: (pair: Pair) => void,
): Server {
  let pair = first;
  let count = 0;
  let dropping = false;
  const dropped = new Set<string>();
  const asks = new Map<string, number>();
  // Of each client the first blob that it asks for after planting, then every fourth; each only once, so that who asks again is served.
  const drops = (url: string, client: string) => {
    if (!faults.has('registry-drops', name)) {
      dropping = false;
      return false;
    }
    if (!dropping) {
      dropping = true;
      dropped.clear();
      asks.clear();
    }
    const before = asks.get(client) ?? 0;
    asks.set(client, before + 1);
    if (before % 4 !== 0 || dropped.has(`${client} ${url}`)) return false;
    dropped.add(`${client} ${url}`);
    return true;
  };
  /** Whether a request brings bytes of a blob or a manifest. */
  const brings = (req: IncomingMessage) =>
    ['PUT', 'PATCH'].includes(req.method ?? '') ||
    (req.method === 'POST' && (req.url?.includes('?digest=') || req.url === '/praesidor/blobs/write'));
  const full = (req: IncomingMessage, res: ServerResponse) => {
    if (!faults.has('registry-full', name) || !brings(req)) return false;
    const errors = [{ code: 'DENIED', message: 'the disk set aside for images is full: 0 bytes are left' }];
    res.writeHead(507, { 'content-type': 'application/json', connection: 'close' }).end(JSON.stringify({ errors }));
    return true;
  };
  const asked = new Set<string>();
  let turn = 0;
  const busy = (req: IncomingMessage, res: ServerResponse) => {
    if (!faults.has('registry-busy', name)) {
      asked.clear();
      return false;
    }
    const what = `${req.method} ${req.url}`;
    if (turn++ % 3 !== 0 || asked.has(what)) return false;
    asked.add(what);
    res.writeHead(turn % 2 ? 429 : 503, { 'retry-after': '0', connection: 'close' }).end();
    return true;
  };
  let uploads = 0;
  const cutUpload = (req: IncomingMessage) => {
    if (!faults.has('registry-cuts-uploads', name) || !brings(req) || req.headers['content-length'] === '0') return;
    if (!/\/uploads\/|\/blobs\/write$/.test(req.url ?? '') || uploads++ % 4 !== 0) return;
    const half = Number(req.headers['content-length'] ?? 0) >> 1;
    let seen = 0;
    req.on('data', (c: Buffer) => {
      seen += c.length;
      if (seen >= half) req.socket.destroy();
    });
    req.pause();
  };
  const server = createRegistry({
    store,
    tls: pair,
    ...(users ? { users } : {}),
    ...(writers ? { writers } : {}),
    ...(scheme ? { scheme } : {}),
    ...(keep
      ? {
          takePair: async (next) => {
            pair = next;
            keep(next);
          },
        }
      : {}),
    before: (req, res) => {
      if (faults.has('registry-silent', name)) return true;
      if (full(req, res) || busy(req, res)) return true;
      cutUpload(req);
      const { url = '' } = req;
      if (!(req.method === 'GET' && url.includes('/blobs/sha256:')) && url !== '/praesidor/blobs/read') return false;
      count++;
      const write = res.write.bind(res) as (chunk: Buffer, sent?: () => void) => boolean;
      // The socket itself: a response that has ended meanwhile no longer holds it, and the other side would wait.
      const { socket } = req;
      if (drops(url.split('?')[0] ?? '', socket.remoteAddress ?? ''))
        res.write = ((chunk: Buffer) => {
          write(chunk.subarray(0, chunk.length >> 1), () => socket.destroy());
          return true;
        }) as never;
      if (faults.has('registry-corrupts', name) && count % 10 === 0)
        res.write = ((chunk: Buffer) => {
          const bad = Buffer.from(chunk);
          bad[0] = (bad[0] ?? 0) ^ 1;
          return write(bad);
        }) as never;
      return false;
    },
  });
  let last = pair;
  const shown = () => {
    const p = faults.has('registry-name', name) ? wrong : faults.has('registry-expired', name) ? ended : pair;
    // A connection that stands would never see another certificate.
    if (p === ended && last !== ended) server.closeAllConnections();
    last = p;
    showPair(server, p);
  };
  faults.onChange(shown);
  shown();
  return server;
}
