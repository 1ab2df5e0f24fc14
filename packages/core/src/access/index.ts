export * from './acts.ts';
export * from './authorize.ts';
export * from './credentials.ts';
export * from './fields.ts';
export * from './provider.ts';
export * from './sign-in.ts';
export * from './tokens.ts';
export * from './where.ts';
