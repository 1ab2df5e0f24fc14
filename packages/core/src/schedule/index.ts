export * from './decisions.ts';
export * from './headline.ts';
export * from './limits.ts';
export * from './mend.ts';
export * from './rows.ts';
export * from './run.ts';
export * from './steps.ts';
export * from './timeline.ts';
