export * from './connects.ts';
export * from './detours.ts';
export * from './dialer.ts';
export * from './errors.ts';
export * from './exits.ts';
export * from './json.ts';
