export * from './blocks.ts';
export * from './fill.ts';
export * from './keep.ts';
export * from './plans.ts';
export * from './standby.ts';
export * from './times.ts';
export * from './usable.ts';
export * from './view.ts';
