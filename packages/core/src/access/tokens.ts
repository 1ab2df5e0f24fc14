import { type ActName, actNames, acts, includes, type Role } from './acts.ts';

/** What a token is never made for: with it, it could give itself more, outlive the one it is of, or be the second person beside the one it is of. */
const personal: readonly ActName[] = ['account.own', 'accounts.manage', 'proposals.approve'];
/** Acts that tokens can be made for. */
export const tokenActs: readonly ActName[] = actNames.filter((a) => !personal.includes(a));
/** Those of them that somebody of a role may do: nobody makes a token for more. */
export const tokenActsOf = (role: Role): ActName[] => tokenActs.filter((a) => includes(role, acts[a].role));
/** Days for which a token is good, at the most. */
export const mostTokenDays = 366;
/** Looking, and nothing else: what every token may do. */
export const tokenLooks: readonly ActName[] = ['plan.read', 'record.read', 'keyring.read', 'proving.read'];
