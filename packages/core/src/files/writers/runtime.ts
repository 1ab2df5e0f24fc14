import { parseReference } from '../../images/reference.ts';
import { componentsOf, type KitContext, nodeFile, type NodeWriter } from '../kit.ts';

/** Mirror and trust of the container runtime: one hosts.toml for each source registry, and the mirror's CA. */
export const runtime: NodeWriter = {
  name: 'container runtime mirror and trust',
  write: (ctx) => {
    const mirror = ctx.plan.mirror;
    if (!mirror) return [];
    const ca = '/etc/praesidor/trust/mirror-ca.crt';
    const auth = mirror.credential
      ? `\n  [host."https://${mirror.endpoint}".header]\n    authorization = ["Basic ${ctx.secret(`pull ${mirror.name}`)}"]\n`
      : '';
    return [
      ...(mirror.ca ? [nodeFile(ca, mirror.ca, [`registries.${mirror.name}.ca`])] : []),
      ...sources(ctx).map((source) =>
        nodeFile(
          `/etc/containerd/certs.d/${source}/hosts.toml`,
          `# ${source} is answered by ${mirror.endpoint}; images keep their own names.\nserver = "https://${mirror.endpoint}"\n\n[host."https://${mirror.endpoint}"]\n  capabilities = ["pull", "resolve"]\n${mirror.ca ? `  ca = "${ca}"\n` : ''}${auth}`,
          ['charter.mirror', `registries.${mirror.name}.endpoint`],
          { secret: mirror.credential !== undefined },
        ),
      ),
    ];
  },
};

const sources = (ctx: KitContext) => [...new Set(componentsOf(ctx).map((c) => parseReference(c.image).registry))].sort();
