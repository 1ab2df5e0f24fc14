import type * as answers from '@praesidor/contract';
import { draftOf, readKubeconfig } from '@praesidor/core/existing';
import { writeDocument } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { clusterFound } from '@praesidor/protocols/kube';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';

/**
 * A cluster that somebody else built, read with a kubeconfig that is used for that and not kept; and the charter that would give it.
 *
 * @throws Refusal where the kubeconfig is none, or the API does not answer who comes with it
 */
export async function existingCluster(
  ctx: Context,
  who: string,
  site: string,
  asked: { kubeconfig: string; name?: string | undefined },
): Promise<z.input<typeof answers.ExistingCluster>> {
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
