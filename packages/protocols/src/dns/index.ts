export * from './client.ts';
export * from './codec.ts';
export * from './tsig.ts';
