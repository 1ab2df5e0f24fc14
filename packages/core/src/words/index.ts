export * from './amounts.ts';
export * from './filter.ts';
export * from './own.ts';
export * from './moments.ts';
export * from './request-text.ts';
