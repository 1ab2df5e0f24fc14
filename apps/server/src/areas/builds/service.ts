import { gzipSync } from 'node:zlib';
import { counted } from '@praesidor/core/words';
import { type Change, type Estate, same } from '@praesidor/core/model';
import { type ChangeKind, type ChangeName, changeKind, type ChangePlan } from '@praesidor/core/changes';
import { type Decided, decisions } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type BuildRow, Builds, Runs } from '../../db/tables.ts';
import { actOnRun, type RunAct } from '../../engine/acts.ts';
import { admit, queueRun } from '../../engine/turns.ts';
import { toRefusal } from '../../db/errors.ts';
import { needDoc, needIn } from '../../estate/documents.ts';
import { loadEstate, thisMinute } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { beginAuthority } from '../clusters/authorities.ts';
import { hold, inTurnToHold, toldSince } from '../clusters/service.ts';
import { withChanges } from '../clusters/would-hold.ts';
import { requestedOf } from './proofs.ts';
import { changeRun, nothingUnderWay } from './change-run.ts';
import { dueOf } from './due.ts';
import { forgetCertificates } from './installed.ts';
import { needBuild } from './rows.ts';

/** The change that is due for a cluster, as its charter is saved, or one that somebody asks for; undefined: it stands as planned. */
export async function dueChange(ctx: Context, name: string, asked?: ChangeName): Promise<ChangePlan | undefined> {
  const { estate } = await loadEstate(ctx.db);
  await needDoc(ctx.db.manager, 'Charter', name);
  return (await dueOf(ctx, ctx.db.manager, estate, name, asked, await requestedOf(ctx, name, estate))).due;
}

/**
 * What takes long of beginning a change, computed before its transaction on a thread of its own: what it holds, what stops it when that is held, the files that it
 * writes, and what runs on the cluster.
 */
async function looked(ctx: Context, name: string, { ends, asItStands }: Pick<ChangeKind, 'ends' | 'asItStands'>) {
  const { estate, revision } = await loadEstate(ctx.db, thisMinute());
  needIn(estate, 'Charter', name);
  await ctx.compute.know(estate);
  const requested = await requestedOf(ctx, name, estate);
  return {
    estate,
    revision,
    requested,
    ...(await lookedAt(ctx, estate, name, { holds: !ends, ends: Boolean(ends || asItStands) })),
  };
}
async function lookedAt(ctx: Context, estate: Estate, name: string, how: { holds: boolean; ends: boolean }) {
  const { refused, ...found } = await ctx.compute.changeOf(estate, {
    charter: name,
    server: ctx.config.publicUrl,
    since: new Date().toISOString(),
    ...how,
  });
  if (refused) throw new Refusal(refused.code, refused.message, refused.more);
  return { whole: withChanges(estate, found.held.changes), ...found };
}
const sameChanges = (a: readonly Change[], b: readonly Change[]): boolean =>
  a.length === b.length && a.every((c, n) => c.kind === b[n]?.kind && c.key === b[n]?.key && same(c.after, b[n]?.after));

/**
 * Begins a change of a cluster to its charter as it is saved: everything is held first, and nothing that stops may stand. It is the kind
 * that somebody saw, or it is refused: what is due can have become another one meanwhile.
 */
export async function beginChange(
  ctx: Context,
  name: string,
  kind: ChangeName,
  who: string,
  confirmed?: string,
): Promise<BuildRow> {
  const { asked, ends, asItStands, nothing, reissues } = changeKind(kind);
  if (ends && confirmed !== name)
    throw new Refusal('invalid', `${changeKind(kind).label} is confirmed by the name of the cluster.`, {
      remedy: `Send confirm: ${name}.`,
    });
  try {
    const before = await looked(ctx, name, changeKind(kind));
    return await inTurnToHold(() =>
      ctx.db.transaction(async (m) => {
        // What ends holds nothing more, and no finding keeps it.
        const held = ends ? undefined : await hold(m, name, who, before);
        const asRead = sameChanges(held?.changes ?? [], before.held.changes) && !(await toldSince(m, before.revision, name));
        // Otherwise than it was read: what is held is held by now, and it is looked at as it stands.
        const found = asRead
          ? before
          : await lookedAt(ctx, (await loadEstate(m)).estate, name, { holds: false, ends: ends === true || asItStands === true });
        const { whole, stops, kit } = found;
        const charter = needIn(whole, 'Charter', name);
        if (stops.length)
          throw new Refusal(
            'not-now',
            `${name} cannot be built: ${counted(stops.length, 'finding stops', 'findings stop')} it. ${stops[0]?.code} ${stops[0]?.title}.`,
            {
              places: stops.map((f) => ({ path: f.path.join('.'), code: f.code, message: f.title })),
              remedy: 'Open the charter and settle what stands in its margin.',
            },
          );
        await nothingUnderWay(m, name);
        const { plan, due } = await dueOf(ctx, m, whole, name, kind, before.requested, found.plan);
        if (!due && asked)
          throw nothing
            ? new Refusal('not-now', nothing(name))
            : new Refusal('not-now', `${changeKind(kind).label}: ${name} does not stand as planned.`, {
                remedy: 'Do first what is due for it.',
              });
        if (!due)
          throw new Refusal(
            'not-now',
            `${name} stands as planned: there is nothing to ${changeKind(kind).label.toLowerCase()}.`,
            {
              remedy: 'Change its charter first.',
            },
          );
        if (due.kind !== kind)
          throw new Refusal('conflict', `What is due for ${name} is “${due.title}” by now, not “${changeKind(kind).label}”.`, {
            remedy: 'Look at what would be done, and begin that.',
          });
        if (due.refused.length)
          throw new Refusal('not-now', `${due.title}: ${due.refused.join('; ')}.`, { remedy: 'Change the charter.' });
        const [{ revision } = { revision: 1 }] = (await m.query(
          'select coalesce(max(revision), 1) as revision from charter_revision where charter = $1',
          [name],
        )) as { revision: number }[];
        const [{ last } = { last: 0 }] = (await m.query('select coalesce(max(number), 0) as last from build where charter = $1', [
          name,
        ])) as { last: number }[];
        const number = last + 1;
        const id = await queueRun(
          ctx,
          m,
          {
            kind: 'change',
            subject: `${name} ${number}`,
            exclusive: `Charter ${name}`,
            site: charter.site,
            title: due.title,
            steps: due.steps,
            asked: { charter: name, number, ...(due.further.length ? { further: due.further } : {}) },
          },
          who,
          { waits: true, secondPerson: true },
        );
        await m.insert(Builds, {
          id,
          charter: name,
          number,
          revision,
          plan: plan as never,
          kind,
          moves: { joins: due.joins, leaves: due.leaves, stands: due.stands } as never,
        });
        if (due.authority) await beginAuthority(ctx.config, m, plan, due.authority);
        if (reissues || due.authority === 2) await forgetCertificates(m, name);
        // What it writes is kept, so that what would be written later can be held against it.
        await m.query('insert into build_kit (build, files) values ($1, $2)', [
          id,
          gzipSync(JSON.stringify(Object.fromEntries(kit.map((f) => [f.path, f.content])))),
        ]);
        await admit(ctx, m, charter.site);
        await record(m, who, kind === 'build' ? 'began a build' : 'began a change', name, {
          number,
          revision,
          ...(kind === 'build' ? {} : { what: due.title }),
        });
        await tell(m, 'Build', `${name} ${number}`);
        return needBuild(m, name, number);
      }),
    );
  } catch (e) {
    throw toRefusal(e);
  }
}

/** @param decided for `resume` and `retry`: what is to be done about hosts whose steps failed */
export async function act(
  ctx: Context,
  charter: string,
  number: number,
  name: RunAct,
  who: string,
  { decided = {}, ...asked }: { decided?: Decided; step?: string | undefined; reason?: string | undefined } = {},
): Promise<void> {
  try {
    await ctx.db.transaction(async (m) => {
      const build = await needBuild(m, charter, number);
      const own = new Set([charter, ...build.steps.flatMap((s) => s.host ?? [])]);
      const strange = Object.values(decided)
        .flat()
        .filter((h) => !own.has(h));
      if (strange.length) throw new Refusal('invalid', `Build ${number} of ${charter} has no host ${strange.join(', ')}.`);
      const run = await m.findOneByOrFail(Runs, { id: build.id });
      await actOnRun(ctx, m, changeRun, run, name, who, {
        ...asked,
        also: Object.values(decisions).flatMap((d) => (decided[d.key]?.length ? d.said(decided[d.key]?.join(', ') ?? '') : [])),
        first: (m) => decide(m, build, decided),
      });
    });
  } catch (e) {
    throw toRefusal(e);
  }
}

/** Puts down what was decided for which hosts; it holds for the rest of the change. */
async function decide(m: EntityManager, build: BuildRow, { erase = [], ...more }: Decided): Promise<void> {
  if (!erase.length && !Object.keys(more).length) return;
  const both = (key: keyof typeof more) => [...new Set([...(build.decided[key] ?? []), ...(more[key] ?? [])])];
  await m.query('update build set erase = $2, decided = $3 where id = $1', [
    build.id,
    [...new Set([...build.erase, ...erase])],
    JSON.stringify({ undrained: both('undrained'), off: both('off'), unbacked: both('unbacked'), unkept: both('unkept') }),
  ]);
}
