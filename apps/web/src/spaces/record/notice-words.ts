import type { NoticeAbout } from '@praesidor/core/notices';

/** What is told, as it is chosen and read. */
export const abouts: Record<NoticeAbout, string> = {
  failed: 'steps that failed',
  ended: 'changes that ended well',
  drift: 'what is not as it was proved',
  approval: 'what waits for a second person',
  record: 'every act on record',
};
