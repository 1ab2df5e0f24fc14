import { X509Certificate } from 'node:crypto';
import type { AuthorityStage } from '@praesidor/core/model';
import type { Plan } from '@praesidor/core/charter';
import { type EntityManager, In } from 'typeorm';
import type { Config } from '../../config.ts';
import { ClusterSecrets } from '../../db/tables.ts';
import { authorityNames, issue, keepSecret, secretOf } from './pki.ts';

/** How far another authority is: which of the three changes was begun last, whether it has been proved, and the how-manieth authority it is. */
interface Course {
  stage: AuthorityStage;
  reached: boolean;
  generation: number;
}
/** Under which name that is kept beside the secrets of a cluster. */
const kept = 'authorities';

/** Secrets of a cluster by their names: no more of them are opened than are asked for. */
async function secretsOf(
  config: Config,
  m: EntityManager,
  charter: string,
  names: readonly string[],
): Promise<Map<string, string>> {
  const rows = await m.findBy(ClusterSecrets, { charter, name: In([...names]) });
  return new Map(rows.map((r) => [r.name, secretOf(config, charter, r)]));
}
const courseOf = (have: ReadonlyMap<string, string>): Course | undefined => {
  const text = have.get(kept);
  return text === undefined ? undefined : (JSON.parse(text) as Course);
};
/** One that was begun and not proved is begun again. */
const nextStage = (c: Course | undefined): AuthorityStage =>
  !c || (c.stage === 3 && c.reached) ? 1 : c.reached ? ((c.stage + 1) as AuthorityStage) : c.stage;

/** Which change of its authorities is next for a cluster, and when the first of those that sign ends; undefined: it has none yet. */
export async function nextAuthority(
  config: Config,
  m: EntityManager,
  charter: string,
): Promise<{ stage: AuthorityStage; ends: string } | undefined> {
  const have = await secretsOf(config, m, charter, [kept, ...authorityNames.map((a) => `${a}.crt`)]);
  const ends = authorityNames.flatMap((a) => {
    const cert = have.get(`${a}.crt`);
    return cert ? [Date.parse(new X509Certificate(cert).validTo)] : [];
  });
  return ends.length ? { stage: nextStage(courseOf(have)), ends: new Date(Math.min(...ends)).toISOString() } : undefined;
}

/**
 * Brings the authorities of a cluster to where a change of them begins: the next ones are made and trusted beside those that stand; they sign; the old ones are
 * trusted no more. Done again, it changes nothing. To be called in the transaction that begins the change.
 */
export async function beginAuthority(config: Config, m: EntityManager, plan: Plan, stage: AuthorityStage): Promise<void> {
  const charter = plan.charter.name;
  await m.query('select pg_advisory_xact_lock(727003, hashtext($1))', [charter]);
  const parts = authorityNames.flatMap((a) => ['crt', 'key', 'next.crt', 'next.key'].map((part) => `${a}.${part}`));
  const have = await secretsOf(config, m, charter, [kept, ...parts]);
  const course = courseOf(have);
  if (nextStage(course) !== stage) throw new Error(`the authorities of ${charter} are not where change ${stage} begins`);
  if (course?.stage === stage && !course.reached) return;
  const generation = stage === 1 ? (course?.generation ?? 1) + 1 : (course?.generation ?? 2);
  const put = (name: string, text: string) => keepSecret(config, m, charter, name, text, {});
  for (const a of authorityNames) {
    const planned = plan.certificates.find((c) => c.name === a);
    if (!planned) throw new Error(`the plan of ${charter} has no ${a}`);
    if (stage === 1) {
      const next = await issue({ ...planned, commonName: `${planned.commonName} ${generation}` }, have);
      await put(`${a}.next.crt`, next.cert);
      await put(`${a}.next.key`, next.key);
    } else if (stage === 2) {
      await put(`${a}.before.crt`, have.get(`${a}.crt`) ?? '');
      await put(`${a}.crt`, have.get(`${a}.next.crt`) ?? '');
      await put(`${a}.key`, have.get(`${a}.next.key`) ?? '');
    }
  }
  const gone =
    stage === 1 ? [] : authorityNames.flatMap((a) => (stage === 2 ? [`${a}.next.crt`, `${a}.next.key`] : [`${a}.before.crt`]));
  await m.query('delete from cluster_secret where charter = $1 and name = any($2)', [charter, gone]);
  await put(kept, JSON.stringify({ stage, reached: false, generation } satisfies Course));
}

/** A change of its authorities has been proved on all hosts of a cluster. In the transaction in which that ends. */
export async function endAuthority(config: Config, m: EntityManager, charter: string): Promise<void> {
  const course = courseOf(await secretsOf(config, m, charter, [kept]));
  if (course) await keepSecret(config, m, charter, kept, JSON.stringify({ ...course, reached: true } satisfies Course), {});
}
