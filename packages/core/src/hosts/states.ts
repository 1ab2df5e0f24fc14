import type { Host } from '../model/documents.ts';

export type HostState = Host['state'];
/** What can be done to a host as far as its state goes. */
export type HostAct =
  | 'measure'
  | 'hold'
  | 'let-go'
  | 'serve'
  | 'stand-down'
  | 'set-free'
  | 'drain'
  | 'undrain'
  | 'give-back'
  | 'wipe'
  | 'retire'
  | 'bring-back';

/** What a guard may ask besides the host itself. */
export interface StateAsk {
  /** The host fits a role of a cluster: decides whether it is `fit` or only `listed`. */
  fits: boolean;
  /** What the host carries besides a cluster (a registry, guests), in words; empty for nothing. */
  carries?: string;
}
interface Rule {
  act: HostAct;
  label: string;
  from: readonly HostState[];
  to: (host: Host, ask: StateAsk) => HostState;
  /** Why not now, although the state would allow it. */
  guard?: (host: Host, ask: StateAsk) => string | undefined;
  /** What the act leaves of the host besides its state. */
  leaves?: (host: Host) => Partial<Host>;
}

/** What it has of its cluster when that is down: whose it is, and which change laid its drives out. */
const kept = ({ charter, role, installed }: NonNullable<Host['held']>): NonNullable<Host['held']> => ({
  charter,
  role,
  ...(installed ? { installed } : {}),
});
const measured = (_: Host, ask: StateAsk): HostState => (ask.fits ? 'fit' : 'listed');
const carrying = (_: Host, ask: StateAsk) => (ask.carries ? `it carries ${ask.carries}` : undefined);

/** Every way from one state to another. What is not here cannot be done. */
export const rules: readonly Rule[] = [
  { act: 'measure', label: 'Measure', from: ['listed', 'fit'], to: measured },
  {
    act: 'hold',
    label: 'Hold',
    from: ['listed', 'fit', 'held'],
    to: () => 'held',
    guard: (h) => (h.facts ? undefined : 'its facts have not been read'),
  },
  { act: 'let-go', label: 'Release from charter', from: ['held'], to: measured, leaves: () => ({ held: undefined }) },
  { act: 'serve', label: 'Serve', from: ['held', 'serving'], to: () => 'serving' },
  {
    // Its cluster was taken down: it is held for the charter, with what lies on its drives.
    act: 'stand-down',
    label: 'Stand down',
    from: ['serving'],
    to: () => 'held',
    leaves: (h) => ({ drained: undefined, held: h.held && kept(h.held) }),
  },
  {
    // A cluster that was built elsewhere is released: it runs on, and nobody here answers for it.
    act: 'set-free',
    label: 'Set free',
    from: ['serving', 'held'],
    to: measured,
    leaves: () => ({ drained: undefined, held: undefined }),
  },
  {
    act: 'drain',
    label: 'Mark as drained',
    from: ['serving'],
    to: () => 'serving',
    guard: (h, ask) => (h.drained ? 'it is marked as drained already' : carrying(h, ask)),
    leaves: () => ({ drained: true }),
  },
  {
    act: 'undrain',
    label: 'Back to work',
    from: ['serving'],
    to: () => 'serving',
    guard: (h) => (h.drained ? undefined : 'it is not drained'),
    leaves: () => ({ drained: undefined }),
  },
  {
    act: 'give-back',
    label: 'Give back',
    from: ['serving', 'held'],
    to: () => 'resting',
    guard: (h, ask) =>
      h.state === 'serving' && !h.drained ? 'it serves and is not drained: what runs on it would be lost' : carrying(h, ask),
    leaves: () => ({ held: undefined, drained: undefined, wiped: undefined }),
  },
  {
    act: 'wipe',
    label: 'Wiped',
    from: ['resting'],
    to: measured,
    guard: (h) => (h.wiped ? undefined : 'there is no proof that its drives were wiped'),
  },
  {
    act: 'retire',
    label: 'Retire',
    from: ['listed', 'fit', 'resting'],
    to: () => 'retired',
    guard: (h, ask) =>
      h.state === 'resting' && !h.wiped ? 'its drives still hold what it served; wipe them first' : carrying(h, ask),
  },
  { act: 'bring-back', label: 'Bring back', from: ['retired'], to: measured },
];

export type Step = { to: HostState; host: Host } | { refused: string };

/**
 * The host after an act, or why the act cannot be: the state does not allow it, or its guard does not.
 *
 * @example
 * doTo({...host, state: 'serving'}, 'retire', {fits: true}) // { refused: 'it is serving; …' }
 */
export function doTo(host: Host, act: HostAct, ask: StateAsk): Step {
  const rule = rules.find((r) => r.act === act) as Rule;
  if (!rule.from.includes(host.state))
    return { refused: `it is ${host.state}; ${rule.label.toLowerCase()} is for what is ${rule.from.join(' or ')}` };
  const why = rule.guard?.(host, ask);
  if (why) return { refused: why };
  const to = rule.to(host, ask);
  const after = { ...host, ...rule.leaves?.(host), state: to };
  for (const key of Object.keys(after) as (keyof Host)[]) if (after[key] === undefined) delete after[key];
  return { to, host: after };
}

/** What a person may do to the host now; `measure`, `hold`, `serve`, `stand-down`, `set-free` and `wipe` are done by the product itself. */
export const actsOn = (host: Host, ask: StateAsk): { act: HostAct; label: string; refused?: string }[] =>
  rules
    .filter((r) => !['measure', 'hold', 'serve', 'stand-down', 'set-free', 'wipe'].includes(r.act) && r.from.includes(host.state))
    .map((r) => {
      const step = doTo(host, r.act, ask);
      return { act: r.act, label: r.label, ...('refused' in step ? { refused: step.refused } : {}) };
    });
