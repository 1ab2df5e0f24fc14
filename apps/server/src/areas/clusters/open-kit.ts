import type { Plan } from '@praesidor/core/charter';
import { type KitContext, placeholder } from '@praesidor/core/files';
import type { Estate } from '@praesidor/core/model';

/** A kit's context without secrets: for looking at, comparing and computing. */
export function openContext(plan: Plan, estate: Estate, server: string): KitContext {
  return {
    server,
    plan,
    estate,
    secret: placeholder(plan.charter.name),
    bootUrl: (host) => `(boot address of ${host}, given by the build)`,
    reportUrl: (host) => `(address of ${host} for its reports, given by the build)`,
    installation: plan.charter.name,
  };
}
