import { X509Certificate } from 'node:crypto';
import { endingKinds, type Installed } from '@praesidor/core/changes';
import type { Charter, Estate } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import type { KubeObject } from '@praesidor/protocols/kube';
import type { Context } from '../../context.ts';
import { type BuildRow, ClusterSecrets } from '../../db/tables.ts';
import { nextAuthority } from '../clusters/authorities.ts';
import { isElsewhere } from '../clusters/elsewhere.ts';
import { kitFiles } from './kit-files.ts';
import { isManifest as manifest, leftAlone, objectId as id, objectsIn as objects } from './taken-in.ts';
import { authorityNames, secretOf } from '../clusters/pki.ts';

type Files = ReadonlyMap<string, string>;

/** Files of a host, by the path that they have in a kit: those that lie on it, and what its first boot reads, which carries them. */
const onHost = (path: string): { host: string; file: string; read: boolean } | undefined => {
  const found = /^hosts\/([^/]+)\/(?:root(\/.*)|(user-data|vendor-data|network-config))$/.exec(path);
  return found ? { host: found[1] as string, file: (found[2] ?? found[3]) as string, read: found[3] !== undefined } : undefined;
};
/** What a host pulls before it joins. One that stands pulls what a pod asks for when it does: it need not be started anew for that. */
const pulledFirst = '/etc/praesidor/images.list';
/** A file of a host as far as a host that stands has to have it: without the images that are pulled first, which its user data carry, too. */
function standing(
  kit: Files,
  path: string,
  { host, file, read }: { host: string; file: string; read: boolean },
): string | undefined {
  if (file === pulledFirst) return '';
  const text = kit.get(path);
  if (!read || text === undefined) return text;
  const images = new Set(kit.get(`hosts/${host}/root${pulledFirst}`)?.split('\n').filter(Boolean));
  return text
    .split('\n')
    .filter((line) => !images.has(line.trim()))
    .join('\n');
}
const filesOf = ({ files }: { files: Buffer }): Files => new Map(Object.entries(kitFiles(files)));
/**
 * Kits of changes after one that ended well, which failed or were stopped when they had begun to give them to the API: what they gave lies there, as well.
 */
const brokenOff = async (m: EntityManager, charter: string, after: number, before?: number) =>
  (await m.query(
    `select k.files from build b join run r on r.id = b.id join build_kit k on k.build = b.id
     where b.charter = $1 and b.id > $2 and ($3::int is null or b.id < $3) and r.state in ('failed', 'stopped') and exists (
       select 1 from run_event e where e.run = b.id and e.data->>'kind' = 'started' and e.data->>'step' = any($4))
     order by b.id`,
    [charter, after, before ?? null, gives],
  )) as { files: Buffer }[];
/** Steps that give objects to the API. */
const gives = ['pod-network', 'inbound'];

/**
 * What hosts of a cluster were given when they were installed last, and its API, against what they would be given now: by what each change wrote. What
 * was built by something else is not known, and is held to be as it should.
 */
export async function installedOf(ctx: Context, m: EntityManager, charter: string, estate: Estate): Promise<Installed> {
  const serving = estate.hosts.filter((h) => h.held?.charter === charter && h.state === 'serving');
  const certificates = new Map(serving.flatMap((h) => (h.held?.certificates ? [[h.name, h.held.certificates] as const] : [])));
  const files = new Map<string, string[]>();
  const accounts = new Set<string>();
  const elsewhere = await isElsewhere(m, charter);
  const authority = serving.length && !elsewhere ? await nextAuthority(ctx.config, m, charter) : undefined;
  const last = (await m.query(
    `select b.id, b.moves->'joins' as joins, b.plan->'charter' as charter from build b join run r on r.id = b.id join build_kit k on k.build = b.id
     where b.charter = $1 and r.state = 'done' and b.kind <> all($2) order by b.id desc limit 200`,
    [charter, endingKinds],
  )) as { id: number; joins: string[]; charter: Charter }[];
  const [newest] = last;
  if (!serving.length || !newest) return { files, accounts, manifests: [], certificates, authority, elsewhere };
  const by = new Map<string, number>();
  for (const h of serving) {
    const build = last.find((b) => b.joins.includes(h.name));
    if (build) by.set(h.name, build.id);
  }
  const kits = new Map<number, Files>();
  for (const id of new Set([newest.id, ...by.values()])) {
    const [row] = (await m.query('select files from build_kit where build = $1', [id])) as { files: Buffer }[];
    if (row) kits.set(id, filesOf(row));
  }
  const now: Files = new Map((await ctx.compute.kitOf(estate, charter, ctx.config.publicUrl)).map((f) => [f.path, f.content]));
  const paths = (a: Files, b: Files) => new Set([...a.keys(), ...b.keys()]);
  for (const [host, id] of by) {
    const before = kits.get(id);
    if (!before) continue;
    if (before.has(`hosts/${host}/root/usr/local/sbin/praesidor-put`)) accounts.add(host);
    const other = [...paths(before, now)].flatMap((p) => {
      const of = before.get(p) === now.get(p) ? undefined : onHost(p);
      return of?.host === host && standing(before, p, of) !== standing(now, p, of) ? [of] : [];
    });
    const lie = other.filter((f) => !f.read);
    if (other.length) files.set(host, (lie.length ? lie : other).map((f) => f.file).sort());
  }
  const given = [kits.get(newest.id) ?? new Map<string, string>(), ...(await brokenOff(m, charter, newest.id)).map(filesOf)];
  const manifests = [
    ...new Set(given.flatMap((g) => [...paths(g, now)].filter((p) => manifest(p) && g.get(p) !== now.get(p)))),
  ].sort();
  return { files, accounts, manifests, certificates, authority, charter: newest.charter, elsewhere };
}

/** Objects that the API of a cluster was given by the change before this one, or by one between that did not end well, and that this one does not give. */
export async function objectsGone(m: EntityManager, build: Pick<BuildRow, 'id' | 'charter' | 'moves'>): Promise<KubeObject[]> {
  if (!build.moves.stands.length) return [];
  const kits = (await m.query(
    `select b.id, k.files from build b join run r on r.id = b.id join build_kit k on k.build = b.id
     where b.charter = $1 and (b.id = $2 or (r.state = 'done' and b.kind <> all($3) and b.id < $2)) order by b.id desc limit 2`,
    [build.charter, build.id, endingKinds],
  )) as { id: number; files: Buffer }[];
  const [now, before] = kits;
  if (!now || !before || now.id !== build.id) return [];
  const given = new Set(objects(now).map(id));
  const alone = await leftAlone(m, build);
  const lies = [before, ...(await brokenOff(m, build.charter, before.id, build.id))].flatMap(objects);
  // The last given goes first: what stands on the others before them.
  return [...new Map(lies.map((o) => [id(o), o])).values()]
    .filter((o) => !given.has(id(o)) && !alone?.there.has(id(o)))
    .reverse();
}

const leaf = (name: string) => {
  const found = /^(.*)\.(crt|key)$/.exec(name)?.[1];
  return (
    found !== undefined && found !== 'service-accounts' && !authorityNames.some((a) => found === a || found.startsWith(`${a}.`))
  );
};

/** When the first certificate ends that hosts of a cluster are given now; undefined: none was issued. */
export async function certificatesEnd(ctx: Context, m: EntityManager, charter: string): Promise<string | undefined> {
  const ends = (await m.findBy(ClusterSecrets, { charter }))
    .filter((s) => s.name.endsWith('.crt') && leaf(s.name))
    .map((s) => new Date(new X509Certificate(secretOf(ctx.config, charter, s)).validTo).getTime());
  return ends.length ? new Date(Math.min(...ends)).toISOString() : undefined;
}

/** Has every certificate of a cluster issued anew when it is asked for next; its authorities stay. */
export async function forgetCertificates(m: EntityManager, charter: string): Promise<void> {
  const names = (await m.findBy(ClusterSecrets, { charter })).map((s) => s.name).filter(leaf);
  await m.query('delete from cluster_secret where charter = $1 and name = any($2)', [charter, names]);
}
