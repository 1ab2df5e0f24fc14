import type { Plan } from '@praesidor/core/charter';
import type { KitContext } from '@praesidor/core/files';
import type { EtcdAt } from '@praesidor/protocols/etcd';
import type { KubeAt } from '@praesidor/protocols/kube';
import type { Context } from '../../context.ts';

/** The API of a cluster, as its administrator. */
export const kubeOf = (ctx: Context, plan: Plan, kit: KitContext): KubeAt => ({
  dialer: ctx.dialer,
  host: plan.api.name,
  address: plan.api.address,
  port: plan.api.port,
  ca: kit.secret('cluster-ca.crt'),
  certificate: kit.secret('admin.crt'),
  key: kit.secret('admin.key'),
});

/**
 * The API server of one member, past the load balancer: it knows of itself whether it runs, while others show certificates that have ended, or do not answer. Its certificate
 * names the API as well.
 */
export const kubeAt = (ctx: Context, plan: Plan, kit: KitContext, { address }: { address: string }): KubeAt => ({
  ...kubeOf(ctx, plan, kit),
  address,
});

/** The member of etcd on a host of the control plane. */
export const etcdOf = (ctx: Context, kit: KitContext, { name, address }: { name: string; address: string }): EtcdAt => ({
  dialer: ctx.dialer,
  host: name,
  address,
  port: 2379,
  ca: kit.secret('etcd-ca.crt'),
  certificate: kit.secret('apiserver-etcd.crt'),
  key: kit.secret('apiserver-etcd.key'),
});
