import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * A provider of sign-ins (OpenID Connect), sign-ins that are under way there, and whose account is whose at the provider.
 * A subject is only unique together with its issuer.
 */
export class SignInProvider1767000000000 implements MigrationInterface {
  name = 'SignInProvider1767000000000';

  async up(q: QueryRunner): Promise<void> {
    await q.query('create table sign_in_provider (one boolean primary key default true check (one), doc jsonb not null)');
    await q.query(
      'create table sign_in_begun (state_hash text primary key, browser_hash text not null, verifier text not null, nonce text not null, back text not null, address text not null, at timestamptz not null default now())',
    );
    await q.query('create index sign_in_begun_at on sign_in_begun (at)');
    await q.query(
      "alter table account add column sign_in text not null default 'password' check (sign_in in ('password', 'both', 'provider')), add column issuer text, add column subject text, add check ((issuer is null) = (subject is null)), add unique (issuer, subject)",
    );
    await q.query('alter table session add column by_provider boolean not null default false');
  }

  async down(q: QueryRunner): Promise<void> {
    await q.query('alter table session drop column by_provider');
    await q.query('alter table account drop column sign_in, drop column issuer, drop column subject');
    await q.query('drop table sign_in_begun');
    await q.query('drop table sign_in_provider');
  }
}
