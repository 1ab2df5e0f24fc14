export * from './catalogue.ts';
export * from './check.ts';
export * from './moves.ts';
export * from './run.ts';
