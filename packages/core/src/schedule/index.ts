export * from './build.ts';
export * from './decisions.ts';
export * from './headline.ts';
export * from './mend.ts';
export * from './steps.ts';
export * from './timeline.ts';
