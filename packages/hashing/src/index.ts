export * from './frames.ts';
export * from './gathered.ts';
export * from './hashing.ts';
export * from './written.ts';
