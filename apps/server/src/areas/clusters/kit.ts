import { createHash } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import { pack } from 'tar-stream';
import { createGzip } from 'node:zlib';
import type { Readable } from 'node:stream';
import type { Plan } from '@praesidor/core/charter';
import type { KitContext, KitFile } from '@praesidor/core/files';
import { keptAt, manifestFor } from '@praesidor/core/images';
import type { Charter, Estate } from '@praesidor/core/model';
import { hostOf } from '@praesidor/core/access';
import { getManifest, type RegistryAt } from '@praesidor/protocols/oci';
import type { Context } from '../../context.ts';
import { openRegistry, registryPlace } from '../images/registries.ts';
import { Refusal } from '../../refusal.ts';
import { credential } from '../keyring/service.ts';
import { openContext } from './open-kit.ts';
import { clusterSecrets } from './pki.ts';

export { openContext };

/** What only a build knows of its kit. */
export type GivenByBuild = Pick<
  KitContext,
  'bootUrl' | 'reportUrl' | 'installation' | 'erase' | 'server' | 'stands' | 'laidOutBy'
>;

/** The kit with the cluster's certificates, keys and pull credentials; made where they are lacking. */
export async function sealedContext(
  ctx: Context,
  m: EntityManager,
  plan: Plan,
  estate: Estate,
  given: GivenByBuild,
): Promise<KitContext> {
  const secrets = await clusterSecrets(ctx.config, m, plan);
  const { mirror } = plan;
  const pull = mirror?.credential ? await credential(ctx.config, m, mirror.credential, registryPlace(mirror)) : undefined;
  // Nodes will send it there: the keyring has to allow that, as it has to allow it to us.
  const kept = mirror && pull?.leash({ host: hostOf(mirror.endpoint), address: '' });
  if (kept) throw new Refusal('not-now', `${kept}.`, { remedy: 'A warden can add the place to that entry under Keyring.' });
  const entries = new Map<string, string>();
  for (const a of plan.answers.filter((x) => x.secret)) {
    const held = await credential(ctx.config, m, a.value, { use: 'other', document: `Charter ${plan.charter.name}` });
    const kept = held.leash({ host: '', address: '' });
    if (kept)
      throw new Refusal('not-now', `${kept}.`, {
        remedy: 'A warden can add the charter to the places of that entry under Keyring.',
      });
    entries.set(`keyring ${a.value}`, held.secret);
  }
  const secret = (name: string) => {
    const entry = entries.get(name);
    if (entry !== undefined) return entry;
    if (name.startsWith('pull ')) return pull ? Buffer.from(`${pull.user}:${pull.secret}`).toString('base64') : '';
    const found = secrets.get(name);
    if (found === undefined && !secrets.has('cluster-ca.key')) throw notHere(plan.charter.name, name);
    if (found === undefined) throw new Error(`the plan has no secret ${name}`);
    return found;
  };
  return { plan, estate, secret, ...given };
}

const notHere = (charter: string, name: string) =>
  new Refusal('not-now', `${charter} was built elsewhere: its ${name} is not here.`, {
    remedy: 'Do that where it was built, or with the kubeconfig that you have.',
  });

export const sha256 = (text: string) => createHash('sha256').update(text).digest('hex');

/** tar.gz of a kit with SHA256SUMS. The same files give the same bytes: fixed times, owners and order. */
export function archive(name: string, files: readonly KitFile[]): Readable {
  const tar = pack();
  const sums = files.map((f) => `${sha256(f.content)}  ${f.path}`).join('\n');
  for (const f of [...files, { path: 'SHA256SUMS', content: `${sums}\n`, secret: false }])
    tar.entry({ name: `${name}/${f.path}`, mode: f.secret ? 0o600 : 0o644, mtime: new Date(0), uid: 0, gid: 0 }, f.content);
  tar.finalize();
  return tar.pipe(createGzip({ level: 9 })) as unknown as Readable;
}

/** What machines boot, at the mirror of a cluster: the layers of an operating system of its release by their titles. */
export interface BootImage {
  registry: RegistryAt;
  repository: string;
  /** As the manifest has them (`org.opencontainers.image.title`). */
  layers: { title: string; digest: string; size: number }[];
}

/** What machines of a cluster start: an operating system of its release, for an architecture. */
export interface Started {
  system: string;
  arch: Charter['arch'];
}
/** What a host of a plan starts over the network or from a medium; undefined: nothing, it is a guest, or its release has no such image. */
export function startedOn(plan: Plan, host: string): Started | undefined {
  const node = plan.nodes.find((n) => n.host === host);
  return node?.system ? { system: node.system, arch: node.facts.arch } : undefined;
}
/** What the machines of a plan start, each once. */
export function startedBy(plan: Plan): Started[] {
  const found = new Map<string, Started>();
  for (const { host } of plan.nodes) {
    const started = startedOn(plan, host);
    if (started) found.set(JSON.stringify(started), started);
  }
  return [...found.values()];
}

/** @throws ProtocolError; undefined: the image of the system is not known for that architecture, or the cluster has no mirror */
export async function bootImage(
  ctx: Context,
  plan: Plan,
  estate: Estate,
  started: Started,
  signal?: AbortSignal,
): Promise<BootImage | undefined> {
  const image = estate.observed.bills[plan.charter.release]?.images.find(
    (i) => i.on === 'boot' && i.component === started.system,
  );
  const digest = image && manifestFor(image, started.arch);
  if (!image || !digest || !plan.mirror) return undefined;
  const registry = await openRegistry(ctx, plan.mirror, signal);
  const { repository } = keptAt(image.ref, plan.mirror);
  const manifest = await getManifest(registry, repository, digest);
  const layers = (manifest.json.layers ?? [])
    .filter((l) => image.blobs.includes(l.digest))
    .map(({ digest, size, annotations }) => ({ title: annotations?.['org.opencontainers.image.title'] ?? '', digest, size }));
  return { registry, repository, layers };
}
