import { z } from 'zod';
import { Moment } from './parts.ts';

/** An entry without its secret, which no answer has. */
export const KeyringEntry = z.strictObject({
  name: z.string(),
  use: z.string(),
  user: z.string(),
  places: z.array(z.string()),
  createdAt: Moment,
  createdBy: z.string(),
});
export type KeyringEntry = z.infer<typeof KeyringEntry>;
export const KeyringEntries = z.strictObject({ entries: z.array(KeyringEntry) });
