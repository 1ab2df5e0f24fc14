export * from './client.ts';
