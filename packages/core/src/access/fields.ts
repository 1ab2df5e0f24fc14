import type { FieldChange } from '../model/difference.ts';
import type { Doc, Kind } from '../model/documents.ts';
import type { Role } from './acts.ts';

/** Fields that take more than the role of a planner; `act`: nobody sets them by hand, since an act with guards leads there. */
export interface FieldRule {
  kind: Kind;
  /** The first names of the path; all fields of the kind where it is empty. */
  path: readonly string[];
  needs: Exclude<Role, 'reader' | 'planner'> | 'act';
  why: string;
}

const goes = 'it decides where credentials are sent, and whom to trust';
/** In this order; the first that fits a field counts. */
export const fieldRules: readonly FieldRule[] = [
  { kind: 'Site', path: [], needs: 'warden', why: 'sites are a warden’s' },
  { kind: 'Team', path: [], needs: 'warden', why: 'it says how much people may take' },
  { kind: 'Host', path: ['state'], needs: 'act', why: 'acts lead from one state to the next' },
  { kind: 'Host', path: ['held'], needs: 'act', why: 'a host is held for a charter' },
  { kind: 'Host', path: ['drained'], needs: 'act', why: 'draining is an act' },
  { kind: 'Host', path: ['wiped'], needs: 'act', why: 'it is the proof of a wipe' },
  { kind: 'Host', path: ['bmc'], needs: 'builder', why: goes },
  { kind: 'Hypervisor', path: ['endpoint'], needs: 'builder', why: goes },
  { kind: 'Hypervisor', path: ['ca'], needs: 'builder', why: goes },
  { kind: 'Hypervisor', path: ['credential'], needs: 'builder', why: goes },
  { kind: 'Registry', path: ['endpoint'], needs: 'builder', why: goes },
  { kind: 'Registry', path: ['ca'], needs: 'builder', why: goes },
  { kind: 'Registry', path: ['credential'], needs: 'builder', why: goes },
  { kind: 'Zone', path: ['primary'], needs: 'builder', why: goes },
  { kind: 'Zone', path: ['key'], needs: 'builder', why: goes },
];

export const ruleFor = (kind: Kind, path: readonly (string | number)[]): FieldRule | undefined =>
  fieldRules.find((r) => r.kind === kind && r.path.every((p, i) => path[i] === p));

/** States that a host may be declared in; every other is reached by acts. */
const declarable = new Set<unknown>(['sighted', 'listed', 'fit']);

/**
 * What the change of one field takes. A document that is new may say more than one that stands: nothing is sent anywhere
 * for it before somebody with the right has accepted a certificate, or the keyring allows it. One that goes takes its
 * state with it; whether it is in use is asked elsewhere.
 */
export function needsOf(kind: Kind, change: FieldChange, before: Doc | null, after: Doc | null): FieldRule | undefined {
  const rule = ruleFor(kind, change.path);
  if (!rule || rule.needs === 'warden') return rule;
  if (rule.needs === 'act') {
    if (after === null) return undefined;
    return before === null && change.path[0] === 'state' && declarable.has(change.after) ? undefined : rule;
  }
  if (before === null) return change.path.includes('fingerprint') ? rule : undefined;
  // A host whose controller was never accepted goes again by who may list hosts.
  return after === null && before.kind === 'Host' && !before.bmc?.fingerprint ? undefined : rule;
}

/** The table of fields that take more than a planner, as it stands in the docs. */
export const fieldsTable = (): string =>
  [
    '| field | takes | since |',
    '| --- | --- | --- |',
    ...fieldRules.map((r) => `| \`${[r.kind, ...r.path].join('.')}\` | ${r.needs} | ${r.why} |`),
  ].join('\n');
