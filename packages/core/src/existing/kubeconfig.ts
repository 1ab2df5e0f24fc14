import { parse } from 'yaml';
import { z } from 'zod';

/** What a kubeconfig says of the way into one cluster (Kubernetes, client-go API v1 `Config`), its certificates in PEM. */
export interface Way {
  /** As the kubeconfig calls the cluster. */
  cluster: string;
  host: string;
  port: number;
  /** The name that its certificate has to be for, where it is another than the host. */
  serverName?: string;
  ca: string;
  certificate: string;
  key: string;
}
const Named = z.object({ name: z.string() });
const Config = z.object({
  kind: z.literal('Config'),
  'current-context': z.string().optional(),
  contexts: z.array(Named.extend({ context: z.object({ cluster: z.string(), user: z.string() }) })).min(1),
  clusters: z.array(
    Named.extend({
      cluster: z.object({
        server: z.string(),
        'certificate-authority-data': z.string().optional(),
        'tls-server-name': z.string().optional(),
        'insecure-skip-tls-verify': z.boolean().optional(),
      }),
    }),
  ),
  users: z.array(
    Named.extend({
      user: z.object({ 'client-certificate-data': z.string().optional(), 'client-key-data': z.string().optional() }).loose(),
    }),
  ),
});
const pem = (data: string | undefined) => {
  const text = data === undefined ? '' : atob(data.replace(/\s/g, ''));
  return /^-----BEGIN [A-Z ]+-----/m.test(text) ? text : undefined;
};
const whole = 'Have it written out whole: kubectl config view --minify --flatten --raw.';

/** The way into the cluster of the current context; or what keeps it from being one. Nothing is run that a kubeconfig names. */
export function readKubeconfig(text: string): Way | { fault: string } {
  let value: unknown;
  try {
    value = parse(text, { maxAliasCount: 10 });
  } catch (e) {
    return { fault: `It is no YAML: ${(e as Error).message.split('\n')[0]}` };
  }
  const read = Config.safeParse(value);
  if (!read.success) {
    const [issue] = read.error.issues;
    return { fault: `It is no kubeconfig: ${issue?.path.join('.') || 'the text'}: ${issue?.message}.` };
  }
  const { contexts, clusters, users, 'current-context': current } = read.data;
  const context = current ? contexts.find((c) => c.name === current) : contexts.length === 1 ? contexts[0] : undefined;
  if (!context)
    return { fault: current ? `It has no context ${current}.` : 'It has several contexts, and names none as current.' };
  const cluster = clusters.find((c) => c.name === context.context.cluster)?.cluster;
  const user = users.find((u) => u.name === context.context.user)?.user;
  if (!cluster || !user) return { fault: `Its context ${context.name} names a cluster or a user that is not in it.` };
  if (cluster['insecure-skip-tls-verify']) return { fault: 'It does not verify the API: with that nobody knows who answers.' };
  let url: URL;
  try {
    url = new URL(cluster.server);
  } catch {
    return { fault: `Its server ${JSON.stringify(cluster.server)} is no URL.` };
  }
  if (url.protocol !== 'https:') return { fault: `Its server is asked over ${url.protocol.slice(0, -1)}, not over https.` };
  try {
    const ca = pem(cluster['certificate-authority-data']);
    if (!ca) return { fault: `It carries no certificate of an authority. ${whole}` };
    const certificate = pem(user['client-certificate-data']);
    const key = pem(user['client-key-data']);
    if (!certificate || !key)
      return { fault: `It carries no client certificate with its key; other ways to sign in are not taken. ${whole}` };
    return {
      cluster: context.context.cluster,
      host: url.hostname.replace(/^\[|\]$/g, ''),
      port: Number(url.port || 443),
      ...(cluster['tls-server-name'] ? { serverName: cluster['tls-server-name'] } : {}),
      ca,
      certificate,
      key,
    };
  } catch {
    return { fault: 'Its certificates are not written in base64.' };
  }
}
