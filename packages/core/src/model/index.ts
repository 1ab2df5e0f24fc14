export * from './against.ts';
export type { Backup, Standby } from './backup.ts';
export * from './bills.ts';
export * from './systems.ts';
export * from './difference.ts';
export * from './rebase.ts';
export * from './documents.ts';
export * from './facts.ts';
export * from './host-parts.ts';
export * from './fields/index.ts';
export * from './edit.ts';
export * from './estate.ts';
export * from './estate-difference.ts';
export * from './manifests.ts';
export * from './matching-text.ts';
export * from './nearest.ts';
export * from './observed.ts';
export * from './question.ts';
export * from './read.ts';
export * from './starter.ts';
export * from './of-template.ts';
export {
  Blank,
  FollowRule,
  inOrder,
  needsOfBlank,
  templateFaults,
  TemplateVersion,
  versionOf,
  versionsOf,
  withVersionKept,
} from './template.ts';
export * from './uses.ts';
export * as words from './words.ts';
export { Workload } from './workload.ts';
