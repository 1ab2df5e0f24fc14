export * from './client.ts';
export * from './drain.ts';
export * from './waits.ts';
