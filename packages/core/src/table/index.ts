export * from './table.ts';
