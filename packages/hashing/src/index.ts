export * from './hashing.ts';
export * from './written.ts';
