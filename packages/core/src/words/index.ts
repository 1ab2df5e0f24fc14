export * from './amounts.ts';
export * from './own.ts';
export * from './moments.ts';
