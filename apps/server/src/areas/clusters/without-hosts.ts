import type { EntityManager } from 'typeorm';
import type { Principal } from '@praesidor/core/access';
import { deletionOf } from '@praesidor/core/charter';
import { carvePrecinct, type Precinct } from '@praesidor/core/reach';
import { record } from '../../audit.ts';
import { changePlan } from '../../estate/change.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { nothingUnderWay } from '../builds/change-run.ts';
import { isElsewhere } from './elsewhere.ts';
import { hold } from './service.ts';
import type { HoldResult } from './would-hold.ts';

/** Acts on a charter that has no hosts of its own yet, or has none any more. All of each happens in the caller's transaction. */

/** Carves a precinct for a cluster: its network, what its gateway has for it, and its charter that stands in it then, held anew. */
export async function carve(
  m: EntityManager,
  who: Principal,
  name: string,
  from: string,
): Promise<{ precinct: Precinct; held: HoldResult; act: number }> {
  await nothingUnderWay(m, name);
  // What is free is looked for by one at a time.
  await m.query('select pg_advisory_xact_lock(727004)');
  const { estate, revision } = await loadEstate(m);
  const made = carvePrecinct(estate, needIn(estate, 'Charter', name), from);
  if ('refused' in made) throw new Refusal('not-now', made.refused, { remedy: made.remedy });
  const changes = await changePlan(m, who, made.edits, {
    act: 'charters.save',
    via: 'hand',
    note: `precinct of ${from}`,
    revision,
  });
  const held = await hold(m, name, who.login);
  const { network, prefix } = made.precinct;
  const act = await record(
    m,
    who.login,
    'carved a precinct',
    name,
    { network, prefix, from },
    [...changes, ...held.changes],
    'charters.save',
  );
  return { precinct: made.precinct, held, act };
}

/** Deletes a charter with everything that was kept for it. */
export async function deleteCharter(m: EntityManager, who: Principal, name: string): Promise<{ gone: number; act: number }> {
  await nothingUnderWay(m, name);
  await m.query('select pg_advisory_xact_lock(727004)');
  const { estate, revision } = await loadEstate(m);
  const deletion = deletionOf(estate, needIn(estate, 'Charter', name));
  if ('refused' in deletion)
    throw new Refusal('not-now', `${name} cannot be deleted: ${deletion.refused}`, { remedy: deletion.remedy });
  const changes = await changePlan(m, who, deletion.edits, { act: 'charters.save', via: 'act', note: '', revision });
  // A way into what somebody else built is not kept without the charter: another of that name would be taken for it.
  if (await isElsewhere(m, name)) await m.query('delete from cluster_secret where charter = $1', [name]);
  const act = await record(m, who.login, 'deleted the charter', name, { documents: changes.length }, changes, 'charters.save');
  return { gone: changes.filter((c) => !c.after).length, act };
}
