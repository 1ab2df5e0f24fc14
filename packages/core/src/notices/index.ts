export * from './notice.ts';
export * from './syslog.ts';
export * from './words.ts';
