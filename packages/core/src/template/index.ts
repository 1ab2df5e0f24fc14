export * from './clusters.ts';
export * from './draw.ts';
export { followRules } from './follow.ts';
