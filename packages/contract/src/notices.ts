import { Notice } from '@praesidor/core/notices';
import { z } from 'zod';
import { Count, Moment } from './parts.ts';

/** Who is told of what, and how it goes. `waiting`: acts that are not told yet; `skipped`: those that were too old by the time that it went again. */
export const NoticeState = z.strictObject({
  doc: Notice,
  toldAt: Moment.nullable(),
  failing: z.string().nullable(),
  since: Moment.nullable(),
  skipped: Count,
  waiting: Count,
});
export type NoticeState = z.infer<typeof NoticeState>;
export const Notices = z.strictObject({ notices: z.array(NoticeState) });
