export * from './amounts.ts';
export * from './own.ts';
