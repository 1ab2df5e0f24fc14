export * from './catalogue.ts';
export * from './edits.ts';
export * from './parts.ts';
export * from './state.ts';
