export * from './claims.ts';
export * from './client.ts';
export * from './drain.ts';
export * from './lost.ts';
export * from './published.ts';
export * from './requested.ts';
export * from './scale.ts';
export * from './waits.ts';
