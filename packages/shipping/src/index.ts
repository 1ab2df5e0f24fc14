export * from './archive.ts';
export * from './case.ts';
export * from './land.ts';
export * from './pack.ts';
export * from './pacer.ts';
export * from './parallel.ts';
export * from './reading.ts';
export * from './verify.ts';
