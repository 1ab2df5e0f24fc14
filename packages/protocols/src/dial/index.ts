export * from './connects.ts';
export * from './address-map.ts';
export * from './dialer.ts';
export * from './errors.ts';
export * from './exits.ts';
export * from './json.ts';
export * from './mutual.ts';
