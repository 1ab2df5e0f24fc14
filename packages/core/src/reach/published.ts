import { holds, isIp, parseIp, parseRange } from '../address/index.ts';
import type { Plan } from '../charter/plan.ts';

/** A service as its cluster has it. */
export interface SeenService {
  namespace: string;
  name: string;
  addresses: string[];
  ports: { port: number; nodePort?: number | undefined; protocol: string }[];
  since?: string | undefined;
  behind: number;
  node?: { name: string; since?: string | undefined } | undefined;
}
/**
 * How a service stands against the plan. `as-planned`: it has the address that it was planned with. `absent`: planned, and the cluster has no such service.
 * `waits`: it has no address yet. `other`: it has another one. `not-planned`: the cluster has it, and the charter does not say so. `takes`: it is not planned, and has the address of one that is.
 */
export const standings = ['as-planned', 'absent', 'waits', 'other', 'not-planned', 'takes'] as const;
export type Standing = (typeof standings)[number];
export interface Compared {
  namespace: string;
  name: string;
  standing: Standing;
  /** The address that it was planned with. */
  planned?: string | undefined;
  /** The port of every node that it was planned with. */
  port?: number | undefined;
  seen?: SeenService | undefined;
  /** What is behind the difference, and what to do; undefined: there is none. */
  text?: string | undefined;
}

const unanswered = 'No ready pod stands behind it: whoever asks for it gets no answer.';

/** What a cluster publishes, beside what was planned: planned services first, in their order; then those that nobody planned. */
export function comparedServices(plan: Pick<Plan, 'services' | 'charter' | 'inbound'>, seen: readonly SeenService[]): Compared[] {
  const key = (s: { namespace: string; name: string }) => `${s.namespace}/${s.name}`;
  const has = new Map(seen.map((s) => [key(s), s]));
  const planned = new Map(plan.services.map((s) => [key(s), s]));
  const pool = plan.charter.servicePool && parseRange(plan.charter.servicePool.range);
  const ports = new Map((plan.charter.nodePorts ?? []).map((s) => [key(s), s]));
  const first = plan.services.map((s): Compared => {
    const is = has.get(key(s));
    const row = { namespace: s.namespace, name: s.name, planned: s.address, seen: is };
    if (!is)
      return {
        ...row,
        standing: 'absent',
        text: 'The cluster has no such service yet: its address is kept until somebody makes it.',
      };
    if (!is.addresses.length)
      return {
        ...row,
        standing: 'waits',
        text: 'Nobody has given it an address: it must be of type LoadBalancer, and what announces the pool must run.',
      };
    if (s.address && !is.addresses.includes(s.address))
      return {
        ...row,
        standing: 'other',
        text: `Clients look for it at ${s.address}, and it answers at ${is.addresses.join(', ')}.`,
      };
    return {
      ...row,
      standing: 'as-planned',
      ...(is.behind ? {} : { text: unanswered }),
    };
  });
  const atNodes = [...ports.values()].map((s): Compared => {
    const is = has.get(key(s));
    const row = { namespace: s.namespace, name: s.name, port: s.port, seen: is };
    if (!is) return { ...row, standing: 'absent', text: 'The cluster has no such service yet: nothing answers at its port.' };
    const at = is.ports.flatMap((p) => (p.protocol.toLowerCase() === s.protocol && p.nodePort ? [p.nodePort] : []));
    if (at.includes(s.port)) return { ...row, standing: 'as-planned', ...(is.behind ? {} : { text: unanswered }) };
    return at.length
      ? { ...row, standing: 'other', text: `Clients ask for it at port ${s.port} of a node, and it answers at ${at.join(', ')}.` }
      : {
          ...row,
          standing: 'waits',
          text: `It has no ${s.protocol.toUpperCase()} port at the nodes: it must be of type NodePort.`,
        };
  });
  const rest = seen
    .filter((s) => !planned.has(key(s)) && !ports.has(key(s)))
    // What comes in from outside has an address of its own in the plan.
    .filter((s) => !s.addresses.length || s.addresses.some((a) => a !== plan.inbound.address))
    .map((s): Compared => {
      const row = { namespace: s.namespace, name: s.name, seen: s };
      const of = plan.services.find((p) => p.address && s.addresses.includes(p.address));
      if (of)
        return { ...row, standing: 'takes', text: `It has ${of.address}, which is planned for ${of.namespace}/${of.name}.` };
      const inPool = s.addresses.some((a) => pool && isIp(a) && holds(pool, parseIp(a)));
      return {
        ...row,
        standing: 'not-planned',
        text: inPool
          ? 'It has an address by turn: plan it, and the address stays with it.'
          : s.addresses.length
            ? 'Its address is not of the pool: whoever made it set it.'
            : `It is reached at ${s.ports.flatMap((p) => p.nodePort ?? []).join(', ') || 'a port'} of every node.`,
      };
    });
  return [...first, ...atNodes, ...rest];
}
