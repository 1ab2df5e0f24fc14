export * from './groups.ts';
export * from './order.ts';
export { type PartKind, partKinds, usual } from './part.ts';
export * from './site.ts';
export * from './steps.ts';
export * from './words.ts';
