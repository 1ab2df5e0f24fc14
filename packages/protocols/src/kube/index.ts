export * from './client.ts';
export * from './waits.ts';
