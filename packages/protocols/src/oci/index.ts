export * from './client.ts';
export * from './walk.ts';
