export * from './build.ts';
export * from './steps.ts';
export * from './timeline.ts';
