import type { Host } from './documents.ts';
import type { Facts } from './facts.ts';

/** What acts set of a host, and nobody by hand: where it is in its life, and what it is held for. */
const setByActs = ['state', 'held', 'drained', 'wiped'] as const;
type HostState = Pick<Host, (typeof setByActs)[number]>;
type HostPlan = Omit<Host, keyof HostState | 'facts'>;

/**
 * A host is three things, each kept by itself with a version of its own: what people declare of it, what acts came to, and what
 * was read of the machine last. One of them changes without the others.
 */
export interface HostParts {
  plan: HostPlan;
  state: HostState;
  facts?: Facts | undefined;
}

export function partsOf({ facts, state, held, drained, wiped, ...plan }: Host): HostParts {
  const set: HostState = { state };
  if (held) set.held = held;
  if (drained !== undefined) set.drained = drained;
  if (wiped) set.wiped = wiped;
  return { plan, state: set, facts };
}

export const wholeHost = ({ plan, state, facts }: HostParts): Host => ({ ...plan, ...state, ...(facts ? { facts } : {}) });

/** The part that a field of a host is kept in. */
export const partOfField = (field: string): keyof HostParts =>
  field === 'facts' ? 'facts' : (setByActs as readonly string[]).includes(field) ? 'state' : 'plan';
