import type { EntityManager } from 'typeorm';
import { record } from '../audit.ts';
import { seal, unseal } from '../auth/seal.ts';

/** Every secret in the database with the text that it is bound to. A new kind of secret is a line. */
const sealed: readonly { table: string; key: string; bound: (row: Record<string, string>) => string; columns: string[] }[] = [
  { table: 'keyring', key: 'name', columns: ['name'], bound: (r) => r.name as string },
  {
    table: 'cluster_secret',
    key: 'charter, name',
    columns: ['charter', 'name'],
    bound: (r) => (r.charter?.startsWith('registry ') ? `${r.charter} ${r.name}` : `cluster ${r.charter} ${r.name}`),
  },
  { table: 'instance_key', key: 'name', columns: ['name'], bound: (r) => `instance ${r.name}` },
];

/**
 * Seals every secret anew, in the caller's transaction: all of them, or none. Boot addresses of builds under way are
 * derived from the key; they end with it. @throws Error that names the first secret that the old key does not open
 */
export async function rotateKey(m: EntityManager, from: Buffer, to: Buffer, who: string): Promise<number> {
  let count = 0;
  for (const { table, columns, bound } of sealed) {
    await m.query(`lock table ${table} in exclusive mode`);
    const rows = (await m.query(`select ${columns.join(', ')}, sealed from ${table}`)) as (Record<string, string> & {
      sealed: Buffer;
    })[];
    for (const row of rows) {
      const name = columns.map((c) => row[c]).join(' ');
      let text: string;
      try {
        text = unseal(from, row.sealed as unknown as Buffer, bound(row));
      } catch {
        throw new Error(`PRAESIDOR_KEY does not open ${table} ${name}; nothing was changed`);
      }
      await m.query(`update ${table} set sealed = $1 where ${columns.map((c, i) => `${c} = $${i + 2}`).join(' and ')}`, [
        seal(to, text, bound(row)),
        ...columns.map((c) => row[c]),
      ]);
      count++;
    }
  }
  await m.query('delete from boot_token');
  await record(m, who, 'changed the key of the keyring', 'keyring', { secrets: count });
  return count;
}
