export * from './against.ts';
export * from './beginning.ts';
export * from './documents.ts';
export * from './edit.ts';
export * from './estate.ts';
export * from './nearest.ts';
export * from './read.ts';
export * as words from './words.ts';
