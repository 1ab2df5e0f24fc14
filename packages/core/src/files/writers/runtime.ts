import { rulesFor } from '../../images/mirror.ts';
import { hostsFiles } from '../../images/runtime-config.ts';
import { stringify } from 'smol-toml';
import { componentsOf, imageOf, nodeFile, type NodeWriter } from '../kit.ts';

/** Where Debian's package lays the programs that make pod networks. */
export const cni = { bin_dir: '/usr/lib/cni', conf_dir: '/etc/cni/net.d' };

/**
 * The container runtime's own configuration (containerd-config.toml(5), version 2): the folder of mirrors, the sandbox image
 * of the release instead of one from the internet, and the cgroup driver that the kubelet has.
 */
function configuration(sandbox: string | undefined): string {
  const plugin = {
    ...(sandbox ? { sandbox_image: sandbox } : {}),
    registry: { config_path: '/etc/containerd/certs.d' },
    cni,
    containerd: {
      runtimes: { runc: { runtime_type: 'io.containerd.runc.v2', options: { SystemdCgroup: true } } },
    },
  };
  return stringify({ version: 2, plugins: { 'io.containerd.grpc.v1.cri': plugin } });
}

/** Configuration, mirror and trust of the container runtime: one hosts.toml for each source registry, and the mirror's CA. */
export const runtime: NodeWriter = {
  name: 'container runtime',
  write: (ctx) => {
    const mirror = ctx.plan.mirror;
    const own = nodeFile('/etc/containerd/config.toml', configuration(imageOf(ctx, 'pause')), ['charter.release']);
    const through = ctx.plan.proxy;
    const proxy = through
      ? [
          nodeFile(
            '/etc/systemd/system/containerd.service.d/proxy.conf',
            `[Service]\n${[`HTTP_PROXY=${through.url}`, `HTTPS_PROXY=${through.url}`, `NO_PROXY=${through.except.join(',')}`].map((v) => `Environment="${v}"`).join('\n')}\n`,
            ['charter.proxy'],
          ),
        ]
      : [];
    if (!mirror) return [own, ...proxy];
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
      own,
      ...proxy,
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
