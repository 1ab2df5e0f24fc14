import { differences, type Change } from '../model/difference.ts';
import { keyOf } from '../model/estate.ts';
import { type ActName, acts, includes, looks, reachesSite, type Role } from './acts.ts';
import { type KeyringEntry, mayName } from './credentials.ts';
import { needsOf } from './fields.ts';
import { changeAskedBy, type FourEyes, needsSecond } from './four-eyes.ts';
import { type Rights, roleAnywhere, roleAt, shared, type SiteOf, type Where, whereOf } from './where.ts';

/** Who acts: a person with an account, a token that somebody made for some acts, or the installation itself. */
export type Principal =
  | ({ kind: 'person'; login: string } & Rights)
  | ({ kind: 'token'; login: string; name: string; acts: readonly string[]; only?: Only | undefined } & Rights)
  | { kind: 'system'; login: string };
type Asking = Exclude<Principal, { kind: 'system' }>;
export const system = (login = 'Praesidor'): Principal => ({ kind: 'system', login });

/** What a token is kept to beside its acts, where it changes something: some sites, the clusters of one team. */
export interface Only {
  sites?: readonly string[] | undefined;
  team?: string | undefined;
}

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
  /** By which addresses and records are found to be of a site; where it is not given, they are of none. */
  siteOf?: SiteOf;
  /** Who asks for a second person; needed where anybody does. */
  eyes?: FourEyes;
  /** A second person has approved exactly this. */
  approved?: boolean;
}
export type Decision =
  | { allowed: true }
  | { allowed: false; code: 'not-allowed' | 'not-now' | 'invalid' | 'four-eyes'; message: string; remedy: string; path?: string };

const yes: Decision = { allowed: true };
const ask = 'Ask a warden.';

/**
 * Whether somebody may do something: the one place where it is decided, for every door. `difference` is what it does to
 * documents: they are looked at before and after, whatever the request looked like. Pure.
 *
 * @param where what it is about; without it, what all sites share. `anywhere`: not known yet, and asked again when it is
 *
 * @example
 * authorize({ kind: 'person', login: 'rui', role: 'reader' }, 'builds.run')
 * // { allowed: false, code: 'not-allowed', message: 'To run builds takes the role builder; rui is reader.', … }
 */
export function authorize(who: Principal, act: ActName, difference?: Difference, where: Where | 'anywhere' = shared): Decision {
  if (who.kind === 'system') return yes;
  const rule = acts[act];
  if (who.kind === 'token' && !who.acts.includes(act))
    return refused(
      `The token ${who.name} of ${who.login} was not made to ${rule.does}.`,
      undefined,
      'Make one that may: People, Tokens.',
    );
  if (difference) {
    // Each document is asked by itself, where it is; what changes nothing takes the act somewhere.
    if (!includes(roleAnywhere(who), rule.role)) return tooLittle(who, act, roleAnywhere(who), shared);
    for (const change of difference.changes) {
      const d = ofChange(who, act, change, difference);
      if (!d.allowed) return d;
    }
    return secondPerson(act, difference);
  }
  if (where === 'anywhere') return includes(roleAnywhere(who), rule.role) ? yes : tooLittle(who, act, roleAnywhere(who), shared);
  return atPlace(who, act, where);
}

/**
 * Whether a second person has to approve first. What an act computes that has guards of its own is not kept back, since it follows
 * from what was approved; what becomes of the plan itself is.
 */
function secondPerson(act: ActName, { changes, via, eyes, approved, siteOf }: Difference): Decision {
  if (!eyes || approved || (via === 'act' && act !== 'charters.save')) return yes;
  for (const change of changes) {
    const asks = changeAskedBy(change, eyes, siteOf);
    if (asks) return { allowed: false, code: 'four-eyes', ...needsSecond(asks, `${change.kind} ${change.key}`) };
  }
  return yes;
}

const tooLittle = (who: Asking, act: ActName, has: Role, { sites }: Where): Decision =>
  refused(
    `To ${acts[act].does}${sites.length ? ` at ${sites.join(', ')}` : ''} takes the role ${acts[act].role}; ${who.login} is ${has}${sites.length ? ' there' : ''}.`,
  );

/** Whether somebody may do something to what is at some sites, and of some teams. Looking takes neither. */
function atPlace(who: Asking, act: ActName, where: Where): Decision {
  const role = roleAt(who, where.sites);
  if (!includes(role, acts[act].role))
    return tooLittle(who, act, role, who.sites && Object.keys(who.sites).length ? where : shared);
  if (looks(act)) return yes;
  const [kept] = reachesSite(act) ? Object.entries(where.elsewhere ?? {}) : [];
  if (kept) return { allowed: false, code: 'not-now', ...fromThere(...kept) };
  const only = who.kind === 'token' ? outside(who, where) : undefined;
  return only ?? ofTeams(who, role, where);
}

/** What is said of an act at a site where another installation stands. */
export const fromThere = (site: string, installation: string) => ({
  message: `The installation ${installation} stands at ${site}: this is done from there.`,
  remedy:
    'Carry the plan there in a bundle: Estate, Installations. If none stands there any more, take the site from it on the same page.',
});

/** Why a token that is kept to some sites, or to one team, does not reach what it is used for. */
function outside(who: Extract<Principal, { kind: 'token' }>, { sites, teams, what }: Where): Decision | undefined {
  const { sites: may, team } = who.only ?? {};
  const say = (kept: string) =>
    refused(
      `The token ${who.name} of ${who.login} was made for ${kept} alone, and ${what ?? 'this'} is not there.`,
      undefined,
      'Make one that may: People, Tokens.',
    );
  if (may && !(sites.length && sites.every((s) => may.includes(s))))
    return say(may.length === 1 ? `the site ${may[0]}` : `the sites ${may.join(', ')}`);
  if (team && !(teams.length && teams.every((t) => t === team))) return say(`the team ${team}`);
  return undefined;
}

/** The clusters of a team are changed by who is in it, and by wardens. */
function ofTeams(who: Asking, role: Role, { teams, what }: Where): Decision {
  if (includes(role, 'warden')) return yes;
  const other = teams.find((t) => !who.teams?.includes(t));
  return other === undefined
    ? yes
    : refused(
        `${what ? capital(what) : 'This'} belongs to the team ${other}; ${who.login} is not in it.`,
        undefined,
        `Ask somebody of ${other}, or a warden.`,
      );
}
const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** Whether a decision is yes, for whoever only shows or hides. */
export const may = (who: Principal, act: ActName, difference?: Difference, where?: Where | 'anywhere'): boolean =>
  authorize(who, act, difference, where).allowed;

function ofChange(who: Asking, act: ActName, c: Change, { via, keys, siteOf }: Difference): Decision {
  const { kind, key, before, after } = c;
  if (after && (after.kind !== kind || (before && keyOf(after) !== key)))
    return {
      allowed: false,
      code: 'invalid',
      message: `${kind} ${key} cannot become ${after.kind} ${keyOf(after)}: its kind and what names it stay.`,
      remedy: `Declare ${after.kind} ${keyOf(after)}, and delete ${key} when nothing uses it.`,
    };
  const where = whereOf(c, siteOf);
  const place = atPlace(who, act, where);
  if (!place.allowed) return place;
  const role = roleAt(who, where.sites);
  const team = ofTeam(who, role, c);
  if (team) return team;
  for (const field of differences(before, after)) {
    const rule = needsOf(kind, field, before, after);
    if (!rule) continue;
    const path = field.path.join('.');
    if (rule.needs !== 'act') {
      if (!includes(role, rule.needs))
        return refused(
          `To ${!rule.path.length && !(before && after) ? (after ? 'declare' : 'delete') : `change ${path || 'it'} of`} ${kind} ${key} takes the role ${rule.needs}, since ${rule.why}; ${who.login} is ${role}.`,
          path,
        );
    } else if (via === 'hand' && !(before === null && includes(role, acts['plan.restore'].role)))
      return before === null
        ? refused(
            `To ${acts['plan.restore'].does} takes the role ${acts['plan.restore'].role} (${path} of ${key}); ${who.login} is ${role}.`,
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
  const misnamed = after && via === 'hand' ? mayName(role, before, after, keys ?? []) : undefined;
  return misnamed ? refused(misnamed.message, misnamed.path, misnamed.remedy) : yes;
}

/** Whoever is in a team declares clusters of it, and takes none out of it. */
function ofTeam(who: Asking, role: Role, { key, before, after }: Change): Decision | undefined {
  if (after?.kind !== 'Charter' || after.team || includes(role, 'warden')) return undefined;
  if ((before as { team?: string } | null)?.team)
    return refused(`To take ${key} out of its team takes the role warden; ${who.login} is ${role}.`, 'team');
  if (before || !who.teams?.length) return undefined;
  return refused(
    `${key} has no team; ${who.login} declares clusters of ${who.teams.join(' or ')}.`,
    'team',
    `Set team: ${who.teams[0]}.`,
  );
}

const refused = (message: string, path?: string, remedy = ask): Decision => ({
  allowed: false,
  code: 'not-allowed',
  message,
  remedy,
  ...(path ? { path } : {}),
});
