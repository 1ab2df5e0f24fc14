import { X509Certificate } from 'node:crypto';
import { accessObjects, type ClusterRole, clusterRoles, groupOf, type Principal } from '@praesidor/core/access';
import type { Plan } from '@praesidor/core/charter';
import { kubeconfigText } from '@praesidor/core/files';
import { mapAddress, ProtocolError } from '@praesidor/protocols/dial';
import { apply, type KnownResources, type KubeAt } from '@praesidor/protocols/kube';
import { permit } from '../../access/permit.ts';
import { whereIs } from '../../access/where.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';
import { kubeOf } from '../builds/kube-of.ts';
import { isElsewhere } from './elsewhere.ts';
import { sealedContext } from './kit.ts';
import { issue } from './pki.ts';
import { planOf } from './service.ts';

export interface Wanted {
  role: ClusterRole;
  /** For how long it is good. */
  hours: number;
  /** `planned`: the API as it is planned; `here`: as it is reached from this server. */
  via: 'planned' | 'here';
}

/** What somebody is let into a cluster with. */
export interface Own {
  plan: Plan;
  certificate: string;
  key: string;
  ca: string;
  /** When it ends, and its serial number. */
  until: string;
  serial: string;
  /** The API, as the server itself asks it. */
  at: KubeAt;
}

/**
 * A kubeconfig of somebody's own: a client certificate in their name, of one role of the cluster, with an end.
 *
 * @throws Refusal where they may not, where the time is too long, or where the API takes no roles
 */
export async function handOut(ctx: Context, name: string, who: Principal, { role, hours, via }: Wanted): Promise<string> {
  const own = await ownAccess(ctx, name, who, role, hours);
  const { plan, until, serial } = own;
  // One whose API is away is handed out all the same: it is right when that is back, and may be what it takes to bring it back.
  const roles = await putRoles(ctx, name, own, true).then(
    () => 'stand',
    (e: Error) => {
      // No status: it was not asked at all, or nobody who is trusted answered.
      if (e instanceof ProtocolError && e.status === undefined) return `not known: ${e.message}`;
      throw noRoles(name, e);
    },
  );
  const here = mapAddress(ctx.config.addressMap, plan.api.address, plan.api.port);
  await record(ctx.db.manager, who.login, 'took a kubeconfig', name, { role, until, via, serial, roles });
  return configOf(own, `${who.login}-${role}`, {
    ...(via === 'here'
      ? { server: `https://${here.host}:${here.port}`, serverName: plan.api.name }
      : { server: `https://${plan.api.name}:${plan.api.port}` }),
  });
}
export const configOf = (own: Own, user: string, at: { server: string; serverName?: string }): string =>
  kubeconfigText(
    { plan: own.plan, secret: (s) => ({ crt: own.certificate, key: own.key })[s] ?? own.ca },
    { user, certificate: 'crt', key: 'key', ...at },
  );

/** Clusters whose roles were put there a moment ago by this process: not asked of again for each command. */
const put = new Map<string, number>();
const putFor = 60_000;

/**
 * Puts into a cluster what its roles stand on, where it is not there.
 *
 * @param again also where this process did so within the last minute
 * @throws ProtocolError
 */
export async function putRoles(ctx: Context, name: string, { at }: Pick<Own, 'at'>, again: boolean): Promise<void> {
  const one = `${ctx.config.databaseUrl} ${name}`;
  if (!again && (put.get(one) ?? 0) > Date.now() - putFor) return;
  const known: KnownResources = new Map();
  for (const o of accessObjects()) await apply(at, o, known);
  put.set(one, Date.now());
}
export const noRoles = (name: string, e: Error) =>
  new Refusal('unreachable', `The API of ${name} does not take the roles that a kubeconfig stands on: ${e.message}.`, {
    remedy: 'See that the cluster stands and is reached from this server.',
  });

/** The role is asked of who takes it, at the cluster. @throws Refusal where they may not, or where the time is too long */
export async function ownAccess(ctx: Context, name: string, who: Principal, role: ClusterRole, hours: number): Promise<Own> {
  const { act, hours: most, label } = clusterRoles[role];
  permit(who, act, undefined, await whereIs(ctx.db.manager, [{ kind: 'Charter', keys: [name] }]));
  if (hours > most)
    throw new Refusal('invalid', `A kubeconfig to ${label} is good for ${most} hours at the most; this would be ${hours}.`, {
      places: [{ path: 'hours', message: `at most ${most}` }],
    });
  const { plan, estate } = await planOf(ctx, name);
  const kit = await ctx.db.transaction((m) =>
    sealedContext(ctx, m, plan, estate, { bootUrl: () => '', reportUrl: () => '', installation: name }),
  );
  if (await isElsewhere(ctx.db.manager, name))
    throw new Refusal(
      'not-now',
      `${name} was built elsewhere: the key of its authority is not here, and nobody is let in by it.`,
      {
        remedy: 'Use the kubeconfig that you have of it.',
      },
    );
  const { cert, key } = await issue(
    {
      name: who.login,
      commonName: who.login,
      organization: groupOf(role),
      names: [],
      addresses: [],
      signer: 'cluster-ca',
      server: false,
      client: true,
      days: hours / 24,
    },
    new Map([
      ['cluster-ca.crt', kit.secret('cluster-ca.signing.crt')],
      ['cluster-ca.key', kit.secret('cluster-ca.key')],
    ]),
  );
  const { serialNumber, validTo } = new X509Certificate(cert);
  return {
    plan,
    certificate: cert,
    key,
    ca: kit.secret('cluster-ca.crt'),
    until: new Date(validTo).toISOString(),
    serial: serialNumber,
    at: kubeOf(ctx, plan, kit),
  };
}
