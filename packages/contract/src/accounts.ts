import { z } from 'zod';
import { Count, Moment, Role } from './parts.ts';

export const Me = z.strictObject({
  login: z.string(),
  name: z.string(),
  role: Role,
  /** Goes into the header `x-csrf-token` of every request that changes something. */
  csrf: z.string(),
  session: z.string().optional(),
});
export type Me = z.infer<typeof Me>;

export const Account = z.strictObject({
  login: z.string(),
  name: z.string(),
  role: Role,
  disabled: z.boolean(),
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

/** Shown once, and kept nowhere in this form. */
export const NewPassword = z.strictObject({ password: z.string().optional() });
