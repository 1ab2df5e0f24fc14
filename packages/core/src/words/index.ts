export * from './own.ts';
