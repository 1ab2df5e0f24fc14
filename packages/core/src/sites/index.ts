export * from './alike.ts';
export * from './table.ts';
