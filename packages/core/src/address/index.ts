export * from './overlap.ts';
export * from './parse.ts';
export * from './space.ts';
