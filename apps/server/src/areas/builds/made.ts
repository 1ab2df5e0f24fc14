import { kitFiles } from './kit-files.ts';
import { endingKinds, madeFor, type MadeThing } from '@praesidor/core/changes';
import type { Plan } from '@praesidor/core/charter';
import { parseAllDocuments } from 'yaml';
import type { Context } from '../../context.ts';
import { ClusterSecrets } from '../../db/tables.ts';
import { planOf } from '../clusters/service.ts';

/** Everything that was made for a cluster, with how each thing stands: by the estate, by what this server keeps, and by what earlier changes had. */
export async function madeOf(ctx: Context, charter: string): Promise<MadeThing[]> {
  const m = ctx.db.manager;
  const { plan, estate } = await planOf(ctx, charter);
  const secrets = (await m.findBy(ClusterSecrets, { charter })).map((s) => s.name).sort();
  const plans = (await m.query(
    "select plan->'nodes' as nodes, plan->'reservations' as reservations from build where charter = $1",
    [charter],
  )) as Pick<Plan, 'nodes' | 'reservations'>[];
  const [last] = (await m.query(
    `select k.files, b.kind from build b join run r on r.id = b.id join build_kit k on k.build = b.id
     where b.charter = $1 and r.state = 'done' and b.kind <> all($2) order by b.id desc limit 1`,
    [charter, endingKinds],
  )) as { files: Buffer }[];
  const files = last ? kitFiles(last.files) : {};
  const [{ backups } = { backups: 0 }] = (await m.query(
    'select count(*)::int as backups from etcd_backup where charter = $1 and kept',
    [charter],
  )) as { backups: number }[];
  const [pulled] = (await m.query("select found from proof_line where charter = $1 and measure = 'pulls' limit 1", [
    charter,
  ])) as {
    found: string;
  }[];
  const objects = Object.entries(files)
    .filter(([path]) => path.startsWith('cluster/manifests/'))
    .flatMap(([, text]) =>
      parseAllDocuments(text).map((d) => d.toJS() as { kind?: string; metadata?: { name: string; namespace?: string } } | null),
    )
    .flatMap((o) =>
      o?.kind && o.metadata ? [`${o.kind} ${o.metadata.namespace ? `${o.metadata.namespace}/` : ''}${o.metadata.name}`] : [],
    );
  const reservations = plans.flatMap((p) => p.reservations ?? []);
  return madeFor(plan, estate, {
    secrets,
    objects: [...new Set(objects)].sort(),
    files: Object.keys(files).length,
    backups,
    pulls: pulled?.found,
    hosts: new Set(plans.flatMap((p) => (p.nodes ?? []).map((n) => n.host))),
    addresses: new Set(reservations.map((r) => r.address)),
    names: new Set(reservations.flatMap((r) => (r.name && !r.owner.use?.startsWith('node ') ? [r.name] : []))),
  });
}
