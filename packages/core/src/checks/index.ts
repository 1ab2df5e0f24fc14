export * from './catalogue.ts';
export * from './words.ts';
export * from './check.ts';
export * from './run.ts';
export { mendController, mendOutside } from './mend.ts';
