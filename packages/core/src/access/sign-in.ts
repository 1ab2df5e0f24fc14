/** How somebody signs in: with a password of this installation, by the provider of sign-ins, or either. */
export const signInWays = ['password', 'both', 'provider'] as const;
export type SignInWay = (typeof signInWays)[number];

/** Why nobody was signed in; the words stand beside it, since a browser brings back the code alone. */
export const signInFaults = {
  off: {
    what: 'No sign-in provider is set here any more.',
    remedy: 'Sign in with your password.',
  },
  away: {
    what: 'The sign-in provider did not answer, or its certificate is not the expected one.',
    remedy: 'Try again in a minute, or sign in with your password. A warden sees the cause under People, Sign-in provider.',
  },
  clock: {
    what: 'The clock of the sign-in provider and the clock of this server differ by more than 5 minutes.',
    remedy: 'Sign in with your password. Then set the clock that is wrong.',
  },
  key: {
    what: 'What the sign-in provider sent is not signed with a key that it publishes.',
    remedy: 'Try again. If it stays so, its published keys and its signing key differ: tell whoever runs it.',
  },
  answer: {
    what: 'The sign-in provider answered something that cannot be used.',
    remedy: 'Try again. If it stays so, a warden finds the cause in the log of the server.',
  },
  refused: {
    what: 'The sign-in provider did not let you in, or you ended it there.',
    remedy: 'Try again, or sign in with your password.',
  },
  ended: {
    what: 'This sign-in took longer than 10 minutes, was used already, or began in another browser.',
    remedy: 'Begin again.',
  },
  many: {
    what: 'Too many sign-ins were begun from your address.',
    remedy: 'Wait 10 minutes, or sign in with your password.',
  },
  unknown: {
    what: 'The sign-in provider knows you, but no account here is yours.',
    remedy: 'Ask a warden to make an account, or to let yours sign in by the provider.',
  },
  disabled: {
    what: 'Your account is disabled.',
    remedy: 'A warden can enable it again.',
  },
} as const satisfies Record<string, { what: string; remedy: string }>;
export type SignInFault = keyof typeof signInFaults;
export const isSignInFault = (text: string): text is SignInFault => Object.hasOwn(signInFaults, text);
