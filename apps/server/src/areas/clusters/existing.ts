import type * as answers from '@praesidor/contract';
import type { Principal } from '@praesidor/core/access';
import { resolve, standsOn } from '@praesidor/core/charter';
import { draftOf, readKubeconfig } from '@praesidor/core/existing';
import { writeDocument } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { clusterFound } from '@praesidor/protocols/kube';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { nothingUnderWay } from '../builds/change-run.ts';
import { beginChange } from '../builds/service.ts';
import { isElsewhere, keepWay } from './elsewhere.ts';
import { saveCharter } from './service.ts';

interface Asked {
  kubeconfig: string;
  name?: string | undefined;
}
/**
 * A cluster that somebody else built, read with a kubeconfig that is used for that and not kept; and the charter that would give it.
 *
 * @throws Refusal where the kubeconfig is none, or the API does not answer who comes with it
 */
export async function existingCluster(
  ctx: Context,
  who: string,
  site: string,
  asked: Asked,
): Promise<z.input<typeof answers.ExistingCluster>> {
  const { way, found, draft } = await readWith(ctx, who, site, asked);
  return {
    at: new Date(),
    name: way.cluster,
    version: found.version,
    nodes: draft.nodes.map(({ node: { taints: _, pods: __, ...node }, host, why }) => ({
      ...node,
      ...(host ? { host } : {}),
      ...(why ? { why } : {}),
    })),
    ...(found.certificate ? { certificateUntil: found.certificate.until } : {}),
    ...(found.authority ? { authorityUntil: found.authority.until } : {}),
    ...(draft.charter ? { charter: draft.charter, text: writeDocument(draft.charter) } : {}),
    lacks: draft.lacks,
    rows: draft.rows,
  };
}

async function readWith(ctx: Context, who: string, site: string, asked: Asked) {
  const estate = await estateNow(ctx.db);
  needIn(estate, 'Site', site);
  const way = readKubeconfig(asked.kubeconfig);
  if ('fault' in way)
    throw new Refusal('invalid', `The kubeconfig cannot be used. ${way.fault}`, {
      places: [{ path: 'kubeconfig', message: way.fault }],
    });
  await record(ctx.db.manager, who, 'read a cluster that exists', site, {
    cluster: way.cluster,
    api: `${way.host}:${way.port}`,
  });
  const at = {
    dialer: ctx.dialer,
    purpose: 'existing' as const,
    host: way.serverName ?? way.host,
    address: way.host,
    port: way.port,
  };
  try {
    const { address } = await ctx.dialer.locate({ purpose: 'existing', host: way.host, port: way.port });
    const { ca, certificate, key } = way;
    const found = await clusterFound({ ...at, ca, certificate, key });
    const name = asked.name ?? nameFrom(way.cluster, new Set(estate.charters.map((c) => c.name)));
    const draft = draftOf({ ...found, api: { host: way.host, address, port: way.port }, name: way.cluster }, estate, site, name);
    return { estate, way, found, draft, name };
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    throw new Refusal('not-now', `${way.cluster} was not read: ${e.message}`, {
      remedy:
        e.fault === 'kept-back'
          ? 'Declare the network that its API is in, as a machine network of its site.'
          : 'Look whether its API is reached from this server, and whether the kubeconfig is still good.',
    });
  }
}

/**
 * Takes a cluster in that somebody else built: its charter is saved, the way into its API is kept sealed, and the change begins that measures it against the charter; when
 * that is proved, its hosts serve. Nothing in the cluster is changed.
 *
 * @throws Refusal where the draft lacks something, or something of that name stands already
 */
export async function takeIn(ctx: Context, who: Principal, site: string, asked: Asked): Promise<BuildRow> {
  const { estate, way, found, draft, name } = await readWith(ctx, who.login, site, asked);
  const { charter } = draft;
  const strange = draft.nodes.filter((n) => n.why);
  if (!charter || strange.length)
    throw new Refusal('not-now', `${way.cluster} cannot be taken in: ${draft.lacks.join(' ')}`, {
      remedy: 'Declare what the draft lacks, and read the cluster again.',
    });
  const there = estate.charters.find((c) => c.name === name);
  const own = estate.hosts.flatMap((h) => (h.held?.charter === name && h.state === 'serving' ? [h.name] : []));
  await ctx.db.transaction(async (m) => {
    await nothingUnderWay(m, name);
    // One that was taken in is taken in once more, by another way in; it has to be the same.
    const again = own.length > 0 && (await isElsewhere(m, name));
    if (again && !draft.nodes.some((n) => own.includes(n.host ?? '')))
      throw new Refusal('conflict', `${way.cluster} is not ${name}: none of its nodes is a host of that.`, {
        remedy: 'Give this one another name.',
      });
    if (there && (there.site !== site || (standsOn(estate, name) && !again)))
      throw new Refusal('conflict', `There is a cluster ${name} already.`, { remedy: 'Give this one another name.' });
    // A charter of that name may be the draft of this cluster, as it was saved or begun with before; what was mended in it since is kept.
    const planned = new Set(there ? resolve(there, estate).nodes.map((n) => n.host) : []);
    if (there && !again && (planned.size !== draft.nodes.length || !draft.nodes.every((n) => planned.has(n.host ?? ''))))
      throw new Refusal('conflict', `There is a charter ${name} already, and it has other hosts.`, {
        remedy: 'Give this one another name, or delete that one.',
      });
    if (!there) await saveCharter(m, who, charter, { base: null }, `taken in from ${way.cluster}`);
    const { ca, certificate, key } = way;
    await keepWay(ctx.config, m, name, { ca, certificate, key, shown: found.certificate?.pem });
    await record(m, who.login, 'kept the way into a cluster', name, { api: `${way.host}:${way.port}`, cluster: way.cluster });
  });
  return beginChange(ctx, name, 'take-in', who.login);
}

/** As the kubeconfig calls it, as far as a charter can be called so. */
function nameFrom(cluster: string, taken: ReadonlySet<string>): string {
  const wish =
    cluster
      .toLowerCase()
      .replace(/[^a-z0-9-]+/g, '-')
      .replace(/^[^a-z]+|-+$/g, '')
      .slice(0, 30) || 'cluster';
  for (let n = 1; ; n += 1) {
    const name = n === 1 ? wish : `${wish}-${n}`;
    if (!taken.has(name)) return name;
  }
}
