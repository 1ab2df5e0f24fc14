export * from './carve.ts';
export * from './forecast.ts';
export * from './overlap.ts';
export * from './parse.ts';
export * from './ranges.ts';
export * from './space.ts';
