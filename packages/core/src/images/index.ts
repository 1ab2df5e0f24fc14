export * from './bill.ts';
export * from './mirror.ts';
export * from './reference.ts';
