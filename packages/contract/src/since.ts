import type { Kind } from '@praesidor/core/model';
import { NoticeAbout } from '@praesidor/core/notices';
import { z } from 'zod';
import { Count, Moment } from './parts.ts';

/** What became of one document since a moment: of several changes from before the first to after the last. */
const NetChange = z.strictObject({
  kind: z.string() as unknown as z.ZodType<Kind, Kind>,
  key: z.string(),
  site: z.string().optional(),
  how: z.enum(['declared', 'removed', 'changed']),
  who: z.array(z.string()),
  at: z.string(),
  fields: z.array(z.strictObject({ name: z.string(), was: z.string().optional(), is: z.string().optional() })),
  /** Further fields, which are not told. */
  more: Count,
});
export const WhatChanged = z.strictObject({
  /** Since when; null where nobody said, and there was no visit before this one. */
  from: Moment.nullable(),
  now: Moment,
  plan: z.array(NetChange),
  /** Acts that are no part of that, newest first: how work ended, and what else was done. */
  acts: z.array(
    z.strictObject({
      id: Count,
      at: Moment,
      who: z.string(),
      act: z.string(),
      subject: z.string(),
      about: NoticeAbout.nullable(),
      site: z.string().nullable(),
      /** How many documents it changed, where those are too many to be told one by one. */
      documents: Count,
    }),
  ),
  /** Further acts, which are not told. */
  more: Count,
  /** Changed documents that are not told one by one. */
  unread: Count,
});
export type WhatChanged = z.infer<typeof WhatChanged>;
