import { SignInProvider, signInWays } from '@praesidor/core/access';
import { z } from 'zod';
import { Count, Moment, Role } from './parts.ts';

/** More than the role, at single sites; and the teams that somebody is in. */
const rights = { sites: z.record(z.string(), Role), teams: z.array(z.string()) };
export const Me = z.strictObject({
  login: z.string(),
  name: z.string(),
  role: Role,
  ...rights,
  /** Goes into the header `x-csrf-token` of every request that changes something. */
  csrf: z.string(),
  session: z.string().optional(),
});
export type Me = z.infer<typeof Me>;

export const Account = z.strictObject({
  login: z.string(),
  name: z.string(),
  role: Role,
  ...rights,
  disabled: z.boolean(),
  /** How they sign in; `bound`: the provider has said once that it is them. */
  signIn: z.enum(signInWays),
  bound: z.boolean(),
  changedAt: Moment,
  sessions: Count,
  lastSeen: Moment.nullable(),
});
export type Account = z.infer<typeof Account>;
export const Accounts = z.strictObject({ accounts: z.array(Account) });

export const Session = z.strictObject({
  id: z.string(),
  createdAt: Moment,
  seenAt: Moment,
  expiresAt: Moment,
  address: z.string(),
  agent: z.string(),
  own: z.boolean(),
});
export type Session = z.infer<typeof Session>;
export const Sessions = z.strictObject({ sessions: z.array(Session) });

/** A filter that somebody keeps: of which page, under which name, and what stands behind the `?` of its address. */
export const FilterKept = z.strictObject({ page: z.string(), name: z.string(), query: z.string() });
export type FilterKept = z.infer<typeof FilterKept>;
export const FiltersKept = z.strictObject({ filters: z.array(FilterKept) });
export type FiltersKept = z.infer<typeof FiltersKept>;

/** Shown once, and kept nowhere in this form. */
export const Invitation = z.strictObject({ token: z.string(), endsAt: Moment });
export const NewPassword = z.strictObject({ password: z.string().optional(), invitation: Invitation.optional() });
export type NewPassword = z.infer<typeof NewPassword>;
/** Whose link it is. */
export type Invitation = z.infer<typeof Invitation>;
export const Invited = z.strictObject({ login: z.string(), name: z.string(), endsAt: Moment });
export type Invited = z.infer<typeof Invited>;
export const TakenUp = z.strictObject({ login: z.string() });

/** A token that somebody made for a program: for which acts, until when, when it was used last, and from where. */
export const Token = z.strictObject({
  id: z.string(),
  name: z.string(),
  acts: z.array(z.string()),
  /** Where it is kept to some sites, or to the clusters of one team. */
  sites: z.array(z.string()).nullable(),
  team: z.string().nullable(),
  madeAt: Moment,
  endsAt: Moment,
  usedAt: Moment.nullable(),
  usedFrom: z.string().nullable(),
});
export type Token = z.infer<typeof Token>;
export const Tokens = z.strictObject({ tokens: z.array(Token) });
export type Tokens = z.infer<typeof Tokens>;
/** The token itself is told once, and kept nowhere in this form. */
export const NewToken = z.strictObject({ id: z.string(), token: z.string(), endsAt: Moment });
export type NewToken = z.infer<typeof NewToken>;

/** How people sign in: with a password always; and by the provider that has this title, where one is set. */
export const SignInWays = z.strictObject({ provider: z.string().nullable() });
export type SignInWays = z.infer<typeof SignInWays>;
export const SignInProviderSet = z.strictObject({
  doc: SignInProvider.nullable(),
  /** Where it sends people back to: it must know this address. */
  back: z.string(),
});
export type SignInProviderSet = z.infer<typeof SignInProviderSet>;
/** What it says of itself: who it is, and where people sign in. */
export const SignInProviderSeen = z.strictObject({ issuer: z.string(), signsAt: z.string() });
export type SignInProviderSeen = z.infer<typeof SignInProviderSeen>;
/** The browser is led elsewhere by the header `location`. */
export const Led = z.null();
