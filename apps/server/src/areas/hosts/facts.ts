import type { EntityManager } from 'typeorm';
import { changesOf, doTo, fitsCluster, judgeOf, type StateAsk } from '@praesidor/core/hosts';
import type { Estate, Facts, Host } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { readFacts } from '@praesidor/protocols/redfish';
import type { Context } from '../../context.ts';
import { docTables } from '../../db/tables.ts';
import { lockHost, needDoc, writeChanges } from '../../estate/documents.ts';
import { Refusal } from '../../refusal.ts';
import { bmcOf } from './bmc.ts';

/** What fitness is judged with, as it stands in the database. */
export async function judging(m: EntityManager) {
  const of = async <K extends 'Profile' | 'Baseline' | 'Network'>(kind: K) => (await m.find(docTables[kind])).map((r) => r.doc);
  return judgeOf({
    profiles: await of('Profile'),
    baselines: await of('Baseline'),
    networks: await of('Network'),
  } as Pick<Estate, 'profiles' | 'baselines' | 'networks'>);
}

/** What the guards of a host's states ask. */
export async function stateAsk(m: EntityManager, host: Host): Promise<StateAsk> {
  const fits = fitsCluster((await judging(m))(host));
  const [carried] = (await m.query("select 'the registry ' || key as what from registry where doc->>'host' = $1 limit 1", [
    host.name,
  ])) as { what: string }[];
  return { fits, ...(carried ? { carries: carried.what } : {}) };
}

/** Keeps a reading when it is the first or differs from the last one. What changed is kept with it. */
export async function noteFacts(m: EntityManager, host: string, before: Facts | undefined, after: Facts): Promise<void> {
  const changes = before ? changesOf(before, after) : [];
  if (before && !changes.length) return;
  await m.query('insert into host_facts (host, at, source, facts, changes) values ($1, $2, $3, $4, $5)', [
    host,
    after.at,
    after.source,
    JSON.stringify(after),
    JSON.stringify(changes),
  ]);
}

/** Reads a listed host's facts again over its pinned controller, and measures it anew. */
export async function refresh(ctx: Context, name: string, who: string): Promise<Host> {
  const bmc = await bmcOf(ctx, (await needDoc(ctx.db.manager, 'Host', name)).doc);
  let facts: Facts;
  try {
    ({ facts } = await readFacts(bmc, new Date().toISOString()));
  } catch (e) {
    throw e instanceof ProtocolError ? new Refusal(e.fault === 'pin' ? 'pin' : 'unreachable', `${name}: ${e.message}.`) : e;
  }
  return ctx.db.transaction(async (m) => {
    // What was read is nobody's edit: whatever of the plan changed meanwhile stays as it is.
    const host = await lockHost(m, name);
    const read = { ...host, facts };
    const step = doTo(read, 'measure', { fits: fitsCluster((await judging(m))(read)) });
    const after = 'refused' in step ? read : step.host;
    await writeChanges(m, [{ kind: 'Host', key: name, before: host, after }], who, '');
    await noteFacts(m, name, host.facts, facts);
    return after;
  });
}
