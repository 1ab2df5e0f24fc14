export * from './drift.ts';
export * from './plan.ts';
export * from './reverse.ts';
export * from './zonefile.ts';
