import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What was measured of clusters that stand: each line as it is now and since when, and when it became otherwise. */
export class Proofs1765800000000 implements MigrationInterface {
  name = 'Proofs1765800000000';

  async up(q: QueryRunner): Promise<void> {
    for (const s of [
      `create table proof_line (charter text not null, measure text not null, what text not null, planned text not null, found text not null, good boolean not null,
        evidence jsonb not null, at timestamptz not null, since timestamptz not null, place int not null, primary key (charter, what))`,
      'create table proof_measured (charter text not null, measure text not null, at timestamptz not null, primary key (charter, measure))',
      `create table proof_change (id bigserial primary key, charter text not null, what text not null, at timestamptz not null, good boolean not null, planned text not null, found text not null)`,
      'create index proof_change_charter on proof_change (charter, id)',
    ])
      await q.query(s);
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('drop table proof_change, proof_measured, proof_line');
  }
}
