import type { EntityManager } from 'typeorm';
import { record } from '../audit.ts';
import { sealBytes, unsealBytes } from '../auth/seal.ts';

/** Every secret in the database with the text that it is bound to. A new kind of secret is a line. */
const sealed: readonly { table: string; bound: (row: Record<string, string>) => string; columns: string[] }[] = [
  { table: 'keyring', columns: ['name'], bound: (r) => r.name as string },
  {
    table: 'cluster_secret',
    columns: ['charter', 'name'],
    bound: (r) => (r.charter?.startsWith('registry ') ? `${r.charter} ${r.name}` : `cluster ${r.charter} ${r.name}`),
  },
  { table: 'instance_key', columns: ['name'], bound: (r) => `instance ${r.name}` },
  { table: 'etcd_backup_piece', columns: ['backup', 'n'], bound: (r) => `etcd backup ${r.backup} ${r.n}` },
];

/**
 * Seals every secret anew, in the caller's transaction: all of them, or none. Boot addresses of builds under way are
 * derived from the key; they end with it. @throws Error that names the first secret that the old key does not open
 */
export async function rotateKey(m: EntityManager, from: Buffer, to: Buffer, who: string): Promise<number> {
  let count = 0;
  for (const { table, columns, bound } of sealed) {
    await m.query(`lock table ${table} in exclusive mode`);
    const rows = (await m.query(`select ${columns.join(', ')} from ${table}`)) as Record<string, string>[];
    const of = (first: number) => columns.map((c, i) => `${c} = $${i + first}`).join(' and ');
    for (const row of rows) {
      const name = columns.map((c) => row[c]).join(' ');
      const key = columns.map((c) => row[c]);
      // One at a time: pieces of backups are large.
      const [{ sealed: old }] = (await m.query(`select sealed from ${table} where ${of(1)}`, key)) as [{ sealed: Buffer }];
      let content: Buffer;
      try {
        content = unsealBytes(from, old, bound(row));
      } catch {
        throw new Error(`PRAESIDOR_KEY does not open ${table} ${name}; nothing was changed`);
      }
      await m.query(`update ${table} set sealed = $1 where ${of(2)}`, [sealBytes(to, content, bound(row)), ...key]);
      count++;
    }
  }
  await m.query('delete from boot_token');
  await record(m, who, 'changed the key of the keyring', 'keyring', { secrets: count });
  return count;
}
