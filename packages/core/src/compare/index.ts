export * from './compare.ts';
