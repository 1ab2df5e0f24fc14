import { type RefusalCode, refusalStatus } from './refusal.ts';

/** What each code of a refusal means, and what to do: for docs/errors.md, which a test holds to this list. */
export const refusalWords: Readonly<Record<RefusalCode | 'fault', { means: string; mend: string }>> = {
  'not-signed-in': {
    means: 'Nobody is signed in, or the session has ended.',
    mend: 'Sign in again; what was typed stays on the page.',
  },
  'sign-in-wrong': {
    means: 'No account has that login with that password.',
    mend: 'Try again; a warden can set a new password.',
  },
  'not-allowed': {
    means: 'The account’s role does not include the act.',
    mend: 'Ask somebody with the role that the message names.',
  },
  csrf: {
    means: 'A request that changes something came without the token of the session.',
    mend: 'Send `x-csrf-token` as `/api/me` tells it.',
  },
  'not-found': { means: 'What the request names is not there.', mend: 'Check the name; the nearest one is in `remedy`.' },
  'beyond-allowance': {
    means: 'A team would have more hosts, addresses or clusters than its allowance.',
    mend: 'Ask for less, take another cluster down, or have a warden raise the allowance.',
  },
  'four-eyes': {
    means: 'The site or the team has each change approved by a second person.',
    mend: 'Keep it as a proposal (`POST /api/proposals`), and have somebody else approve it.',
  },
  conflict: {
    means: 'Somebody else changed the same in the meantime.',
    mend: 'Look at `current` and `collisions`, choose, and send it again.',
  },
  'held-twice': { means: 'The address has just been reserved by somebody else.', mend: 'Take the next free one.' },
  invalid: { means: 'Something in the request cannot be taken; `places` says what and where.', mend: 'Correct it.' },
  unreachable: {
    means: 'A device outside does not answer, or refuses.',
    mend: 'Look at the device, the network between, and its credential.',
  },
  pin: {
    means: 'A device shows another certificate than the one that was accepted; nothing was sent to it.',
    mend: 'Compare the fingerprint at the device; then accept the new one.',
  },
  'not-now': {
    means: 'The act is not possible in the state that things are in.',
    mend: 'The message says what has to come first.',
  },
  'too-many': { means: 'Too many requests of the kind in a short time.', mend: 'Wait; `retry-after` says how long.' },
  'too-large': { means: 'The request is larger than the route takes.', mend: 'Split it.' },
  'in-use': { means: 'What was to go is in use; `uses` says by what.', mend: 'End those uses first.' },
  away: { means: 'The database does not answer at the moment.', mend: 'Try again in a few seconds.' },
  fault: {
    means: 'An error in Praesidor itself. Whether a change that was under way is saved is not known.',
    mend: 'Look before you try again; the log of the server has the details under the number of the request.',
  },
};

/** The codes as a table, as it stands in the docs. */
export function errorsTable(): string {
  const rows = (Object.keys(refusalWords) as (RefusalCode | 'fault')[]).map(
    (c) => `| \`${c}\` | ${c === 'fault' ? 500 : refusalStatus(c)} | ${refusalWords[c].means} | ${refusalWords[c].mend} |`,
  );
  return ['| code | status | what it means | what to do |', '| --- | --- | --- | --- |', ...rows].join('\n');
}
