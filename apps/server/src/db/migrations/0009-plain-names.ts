import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Where stored documents have names of fields: table, column. */
const places: [string, string][] = [
  ['site', 'doc'],
  ['host', 'doc'],
  ['observation', 'data'],
  ['host_facts', 'facts'],
  ['sighting', 'facts'],
  ['build', 'plan'],
  ['audit', 'changes'],
];
const names: [string, string][] = [
  ['alongside', 'fastLink'],
  ['paper', 'declaredBytes'],
  ['missingPaper', 'missingDeclaredBytes'],
  ['untold', 'unreadParts'],
];

async function rename(q: QueryRunner, list: [string, string][]): Promise<void> {
  for (const [table, column] of places)
    for (const [from, to] of list)
      await q.query(
        `update ${table} set ${column} = replace(${column}::text, '"${from}"', '"${to}"')::jsonb where ${column}::text like '%"${from}"%'`,
      );
}

/** Fields and columns say what they hold. */
export class PlainNames1764700000000 implements MigrationInterface {
  name = 'PlainNames1764700000000';

  async up(q: QueryRunner): Promise<void> {
    await rename(q, names);
    await q.query('alter table shipment rename column paper to declared_bytes');
    await q.query('alter table shipment_item rename column paper to declared_bytes');
    await q.query('alter table shipment rename column waybill to manifest');
    await q.query("update shipment set way = 'fast-link' where way = 'alongside'");
    // What failed, and at which of the two registries: by it, and not by words, a page offers what mends it.
    await q.query('alter table shipment add column fault text, add column fault_at text');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table shipment drop column fault, drop column fault_at');
    await rename(
      q,
      names.map(([from, to]) => [to, from]),
    );
    await q.query('alter table shipment rename column declared_bytes to paper');
    await q.query('alter table shipment_item rename column declared_bytes to paper');
    await q.query('alter table shipment rename column manifest to waybill');
    await q.query("update shipment set way = 'alongside' where way = 'fast-link'");
  }
}
