export * from './map.ts';
