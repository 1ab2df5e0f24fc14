export * from './acts.ts';
export type { Bmc } from './bmc.ts';
export * from './facts.ts';
export * from './readings.ts';
export * from './trust.ts';
export * from './update.ts';
