export * from './collect.ts';
export { hashPassword, loginOf, plainLogin } from './login.ts';
export * from './server.ts';
export * from './store.ts';
