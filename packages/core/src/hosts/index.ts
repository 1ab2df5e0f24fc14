export * from './firmware.ts';
export * from './fitness.ts';
export * from './place.ts';
export * from './profiles.ts';
