export * from './server.ts';
export * from './store.ts';
