export * from './bundle.ts';
export * from './client.ts';
export * from './held-of.ts';
export * from './ours.ts';
export * from './push.ts';
export * from './read-on.ts';
export { type RegistryAt, retryAfter, targetOf } from './session.ts';
export * from './walk.ts';
