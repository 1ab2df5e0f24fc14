export * from './addresses.ts';
export * from './arithmetic.ts';
export * from './certificates.ts';
export * from './consequences.ts';
export { disksOf, type DiskUse, type PlannedDisk } from './disks.ts';
export * from './placement.ts';
export * from './plan.ts';
export * from './resolve.ts';
export { interfaceOf, uplinkFor } from './uplink.ts';
