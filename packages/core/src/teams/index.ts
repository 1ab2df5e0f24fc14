export { type AllowanceMeasure, allowanceMeasures } from '../model/team.ts';
export * from './usage.ts';
