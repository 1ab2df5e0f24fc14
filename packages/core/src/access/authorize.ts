import { differences, type Change } from '../model/difference.ts';
import { keyOf } from '../model/estate.ts';
import { type ActName, acts, includes, type Role } from './acts.ts';
import { type KeyringEntry, mayName } from './credentials.ts';
import { needsOf } from './fields.ts';

/** Who acts: a person with an account, a token that somebody made for some acts, or the installation itself. */
export type Principal =
  | { kind: 'person'; login: string; role: Role }
  | { kind: 'token'; login: string; role: Role; name: string; acts: readonly string[] }
  | { kind: 'system'; login: string };
type Asking = Exclude<Principal, { kind: 'system' }>;
export const system = (login = 'Praesidor'): Principal => ({ kind: 'system', login });

/** What an act does to documents, and how it came to that. */
export interface Difference {
  changes: readonly Change[];
  /**
   * `hand`: typed or imported. `act`: computed by an act that has guards of its own, such as giving a host back.
   * `record`: put back as the record has it.
   */
  via: 'hand' | 'act' | 'record';
  /** Entries of the keyring with where they may be sent; needed where documents may name one. */
  keys?: readonly KeyringEntry[];
}
export type Decision =
  | { allowed: true }
  | { allowed: false; code: 'not-allowed' | 'not-now' | 'invalid'; message: string; remedy: string; path?: string };

const yes: Decision = { allowed: true };
const ask = 'Ask a warden.';

/**
 * Whether somebody may do something: the one place where it is decided, for every door. `difference` is what it does to
 * documents: they are looked at before and after, whatever the request looked like. Pure.
 *
 * @example
 * authorize({ kind: 'person', login: 'rui', role: 'reader' }, 'builds.run')
 * // { allowed: false, code: 'not-allowed', message: 'To run builds takes the role builder; rui is reader.', … }
 */
export function authorize(who: Principal, act: ActName, difference?: Difference): Decision {
  if (who.kind === 'system') return yes;
  const rule = acts[act];
  if (who.kind === 'token' && !who.acts.includes(act))
    return refused(
      `The token ${who.name} of ${who.login} was not made to ${rule.does}.`,
      undefined,
      'Make one that may: People, Tokens.',
    );
  if (!includes(who.role, rule.role)) return refused(`To ${rule.does} takes the role ${rule.role}; ${who.login} is ${who.role}.`);
  for (const change of difference?.changes ?? []) {
    const d = ofChange(who, change, difference as Difference);
    if (!d.allowed) return d;
  }
  return yes;
}

/** Whether a decision is yes, for whoever only shows or hides. */
export const may = (who: Principal, act: ActName, difference?: Difference): boolean => authorize(who, act, difference).allowed;

function ofChange(who: Asking, c: Change, { via, keys }: Difference): Decision {
  const { kind, key, before, after } = c;
  if (after && (after.kind !== kind || (before && keyOf(after) !== key)))
    return {
      allowed: false,
      code: 'invalid',
      message: `${kind} ${key} cannot become ${after.kind} ${keyOf(after)}: its kind and what names it stay.`,
      remedy: `Declare ${after.kind} ${keyOf(after)}, and delete ${key} when nothing uses it.`,
    };
  for (const field of differences(before, after)) {
    const rule = needsOf(kind, field, before, after);
    if (!rule) continue;
    const path = field.path.join('.');
    if (rule.needs !== 'act') {
      if (!includes(who.role, rule.needs))
        return refused(
          `To change ${path || 'it'} of ${kind} ${key} takes the role ${rule.needs}, since ${rule.why}; ${who.login} is ${who.role}.`,
          path,
        );
    } else if (via === 'hand' && !(before === null && includes(who.role, acts['plan.restore'].role)))
      return before === null
        ? refused(
            `To ${acts['plan.restore'].does} takes the role ${acts['plan.restore'].role} (${path} of ${key}); ${who.login} is ${who.role}.`,
            path,
          )
        : {
            allowed: false,
            code: 'not-now',
            message: `${path} of ${key} is not set by hand, since ${rule.why}.`,
            remedy: `Open the page of ${key}; what can be done to it stands there.`,
            path,
          };
  }
  const misnamed = after && via === 'hand' ? mayName(who.role, before, after, keys ?? []) : undefined;
  return misnamed ? refused(misnamed.message, misnamed.path, misnamed.remedy) : yes;
}

const refused = (message: string, path?: string, remedy = ask): Decision => ({
  allowed: false,
  code: 'not-allowed',
  message,
  remedy,
  ...(path ? { path } : {}),
});
