/** What the API answers, route by route: schemas once, and the types of both sides from them. */
export * from './accounts.ts';
export * from './addresses.ts';
export * from './clusters.ts';
export * from './estate.ts';
export * from './events.ts';
export * from './backups.ts';
export * from './last-run.ts';
export * from './losses.ts';
export * from './site-power.ts';
export * from './gateways.ts';
export * from './hosts.ts';
export * from './images.ts';
export * from './keyring.ts';
export * from './notices.ts';
export * from './parts.ts';
export * from './proving.ts';
export * from './tables.ts';
