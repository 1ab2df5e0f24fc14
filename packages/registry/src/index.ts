export { type Pair, pairFault, ShownPair } from './certificate.ts';
export * from './collect.ts';
export { hashPassword, loginOf, plainLogin } from './login.ts';
export { nodeFlags } from './node-flags.ts';
export * from './server.ts';
export * from './store.ts';
