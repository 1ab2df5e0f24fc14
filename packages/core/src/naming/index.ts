export * from './drift.ts';
export * from './lint.ts';
export * from './master.ts';
export * from './plan.ts';
export * from './reverse.ts';
export * from './serial.ts';
export * from './servers.ts';
export * from './zonefile.ts';
