export * from './coming-in.ts';
export * from './manifest.ts';
export * from './part.ts';
