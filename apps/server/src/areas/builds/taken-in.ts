import type { KubeObject } from '@praesidor/protocols/kube';
import type { EntityManager } from 'typeorm';
import { parseAllDocuments } from 'yaml';
import { kitFiles } from './kit-files.ts';

/** Tells objects of an API apart, whatever version of their kind they are written in. */
export const objectId = (o: { apiVersion: string; kind: string; metadata: { name: string; namespace?: string } }): string =>
  JSON.stringify([o.apiVersion.split('/')[0], o.kind, o.metadata.namespace ?? '', o.metadata.name]);

/** Whether a file of a kit is given to the API. */
export const isManifest = (path: string): boolean => path.startsWith('cluster/manifests/');

/** Objects of a kit as a change keeps it, without secrets. */
export const objectsIn = ({ files }: { files: Buffer }): KubeObject[] =>
  Object.entries(kitFiles(files))
    .filter(([path]) => isManifest(path))
    .flatMap(([, text]) => parseAllDocuments(text).map((d) => d.toJS() as KubeObject | null))
    .flatMap((o) => (o?.kind && o.metadata?.name ? [o] : []));

/** Of a cluster that was taken in: what its charter says that it has, and was never given to it from here. */
export interface LeftAlone {
  /** All that the charter said when it was taken in: never taken away. */
  there: ReadonlySet<string>;
  /** What of it the charter says as it did then: not given. */
  same: ReadonlySet<string>;
}

/**
 * What a change of a cluster that was taken in leaves alone; undefined: it was built from here.
 *
 * @param build the change: its kit is held against that with which it was taken in
 */
export async function leftAlone(m: EntityManager, build: { id: number; charter: string }): Promise<LeftAlone | undefined> {
  const [row] = (await m.query(
    `select k.files as there, n.files as now from build b join run r on r.id = b.id join build_kit k on k.build = b.id join build_kit n on n.build = $2
     where b.charter = $1 and b.kind = 'take-in' and b.id <= $2 and (r.state = 'done' or b.id = $2) and not exists (
       select 1 from build x join run y on y.id = x.id where x.charter = $1 and x.id > b.id and x.id <= $2
         and (x.kind = 'build' or (x.kind = 'release' and y.state = 'done'))) order by b.id limit 1`,
    [build.charter, build.id],
  )) as { there: Buffer; now: Buffer }[];
  if (!row) return undefined;
  const there = new Map(objectsIn({ files: row.there }).map((o) => [objectId(o), JSON.stringify(o)]));
  const now = objectsIn({ files: row.now });
  return {
    there: new Set(there.keys()),
    same: new Set(
      now.map((o) => [objectId(o), JSON.stringify(o)] as const).flatMap(([id, text]) => (there.get(id) === text ? [id] : [])),
    ),
  };
}
