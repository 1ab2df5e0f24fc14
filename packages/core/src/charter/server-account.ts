import type { Charter } from '../model/documents.ts';

/** The account on every host with which the server puts new files there over SSH, and can do nothing else. */
export const serverAccount = 'praesidor';
/** Secrets of a cluster, as the kit asks for them: the server's key for that account, and the key by which a host is known (OpenSSH format). */
export const accountKey = 'server.ssh';
export const hostKey = (host: string): string => `host-${host}.ssh`;
/** The public half of such a key: one line of `authorized_keys` without a comment. */
export const publicHalf = (name: string): string => `${name}.pub`;

/** Whether hosts of a charter have the account. */
export const hasServerAccount = ({ certificates }: Pick<Charter, 'certificates'>): boolean => certificates?.renewed !== 'restart';
