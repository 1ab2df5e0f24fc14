export * from './finder.ts';
export * from './thing.ts';
export * from './things.ts';
