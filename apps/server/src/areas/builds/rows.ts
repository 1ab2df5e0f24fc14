import type { EntityManager } from 'typeorm';
import type { BuildRow } from '../../db/tables.ts';
import { Refusal } from '../../refusal.ts';

const columns = `b.id, b.charter, b.number, b.kind, b.moves, b.revision, b.plan, b.proof, b.boot_epoch as "bootEpoch", b.erase, b.decided,
  r.subject, r.exclusive, r.site, r.title, r.steps, r.state, r.admitted, r.approval, r.approved_by as "approvedBy", r.created_at as "createdAt", r.created_by as "createdBy", r.run_by as "runBy", r.ended_at as "endedAt"`;

/** Changes of clusters with what they have as runs. @param rest what follows `where`, of `b` (build) and `r` (run) */
export const buildsWhere = (m: EntityManager, rest: string, values: readonly unknown[]): Promise<BuildRow[]> =>
  m.query(`select ${columns} from build b join run r on r.id = b.id where ${rest}`, [...values]) as Promise<BuildRow[]>;

export const findBuild = async (m: EntityManager, id: number): Promise<BuildRow | undefined> =>
  (await buildsWhere(m, 'b.id = $1', [id]))[0];

/** @throws Refusal */
export async function needBuild(m: EntityManager, charter: string, number: number): Promise<BuildRow> {
  const [b] = await buildsWhere(m, 'b.charter = $1 and b.number = $2', [charter, number]);
  if (!b) throw new Refusal('not-found', `There is no build ${number} of ${charter}.`);
  return b;
}
