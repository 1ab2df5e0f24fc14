export * from './clear.ts';
export * from './folder.ts';
export * from './index-of.ts';
export * from './make.ts';
export * from './read.ts';
export * from './seal.ts';
export * from './store.ts';
export { staleMs } from './turns.ts';
