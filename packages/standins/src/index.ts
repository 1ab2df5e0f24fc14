export * from './clock.ts';
export * from './control.ts';
export * from './faults.ts';
export type { Hardware } from './machine.ts';
export * from './source.ts';
export * from './world.ts';
export { makeCertificate } from './certificates.ts';
