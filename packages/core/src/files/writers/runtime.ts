import { rulesFor } from '../../images/mirror.ts';
import { hostsFiles } from '../../images/runtime-config.ts';
import { componentsOf, nodeFile, type NodeWriter } from '../kit.ts';

/** Mirror and trust of the container runtime: one hosts.toml for each source registry, and the mirror's CA. */
export const runtime: NodeWriter = {
  name: 'container runtime mirror and trust',
  write: (ctx) => {
    const mirror = ctx.plan.mirror;
    if (!mirror) return [];
    const ca = '/etc/praesidor/trust/mirror-ca.crt';
    const rules = rulesFor(
      componentsOf(ctx).map((c) => c.image),
      mirror,
    );
    const access = {
      ...(mirror.ca ? { ca } : {}),
      ...(mirror.credential ? { authorization: `Basic ${ctx.secret(`pull ${mirror.name}`)}` } : {}),
    };
    return [
      ...(mirror.ca ? [nodeFile(ca, mirror.ca, [`registries.${mirror.name}.ca`])] : []),
      ...hostsFiles(rules, access).map((f) =>
        nodeFile(
          `/etc/containerd/certs.d/${f.source}/hosts.toml`,
          f.text,
          ['charter.mirror', `registries.${mirror.name}.endpoint`, ...(mirror.keeps ? [`registries.${mirror.name}.keeps`] : [])],
          { secret: mirror.credential !== undefined },
        ),
      ),
    ];
  },
};
