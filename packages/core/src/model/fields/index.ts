export * from './catalogue.ts';
export * from './edit-text.ts';
export * from './field.ts';
export * from './follows.ts';
export * from './formats.ts';
export * from './json-schema.ts';
export * from './options.ts';
export * from './shape.ts';
