import { stringify } from 'yaml';
import { type ClusterWriter, file, type KitContext } from '../kit.ts';

const base64 = (text: string) => btoa(text);

export interface Access {
  user: string;
  certificate: string;
  key: string;
  server: string;
  serverName?: string;
}

/** A kubeconfig with one cluster, one user and one context. `serverName` is checked against the certificate where the address differs from the planned name. */
export function kubeconfigText(ctx: Pick<KitContext, 'plan' | 'secret'>, access: Access): string {
  const name = ctx.plan.charter.name;
  return stringify(
    {
      apiVersion: 'v1',
      kind: 'Config',
      clusters: [
        {
          name,
          cluster: {
            server: access.server,
            ...(access.serverName ? { 'tls-server-name': access.serverName } : {}),
            'certificate-authority-data': base64(ctx.secret('cluster-ca.crt')),
          },
        },
      ],
      users: [
        {
          name: access.user,
          user: {
            'client-certificate-data': base64(ctx.secret(access.certificate)),
            'client-key-data': base64(ctx.secret(access.key)),
          },
        },
      ],
      contexts: [{ name, context: { cluster: name, user: access.user } }],
      'current-context': name,
    },
    { lineWidth: 0 },
  );
}

export const adminAccess = (ctx: Pick<KitContext, 'plan'>): Access => ({
  user: `${ctx.plan.charter.name}-admin`,
  certificate: 'admin.crt',
  key: 'admin.key',
  server: `https://${ctx.plan.api.name}:${ctx.plan.api.port}`,
});

export const kubeconfig: ClusterWriter = {
  name: 'kubeconfig',
  write: (ctx) => [
    file('cluster/kubeconfig', kubeconfigText(ctx, adminAccess(ctx)), ['charter.api.name', 'certificate plan'], true),
  ],
};
