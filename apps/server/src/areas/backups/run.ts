import { clearBlocks, Damaged, giveBack, makeBackup, needing, readIndex } from '@praesidor/backups';
import { keptOf, planOf, volumesAsked } from '@praesidor/core/backup';
import type { Step } from '@praesidor/core/schedule';
import { bytesText, counted, secondsText } from '@praesidor/core/words';
import { once } from 'node:events';
import { PassThrough } from 'node:stream';
import { extract } from 'tar-stream';
import type { Context } from '../../context.ts';
import type { RunRow } from '../../db/tables.ts';
import { StepFailure } from '../../engine/failure.ts';
import { memoryOf, type RunKind, type StepTools } from '../../engine/kind.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { haltStep, openCluster, restoreStep, reviveStep } from './restore.ts';
import { backupById, backupsOf, noteBackups, restoringNow } from './rows.ts';
import { hostSource } from './source.ts';
import { openStore } from './store.ts';
import { whereIs } from './where.ts';

/** Volumes of a cluster backed up, tested, or given back, one after the other, as the engine carries it out. */
export const backupRun: RunKind = {
  kind: 'backup',
  act: (run) => (run.asked.what === 'restore' ? 'backups.restore' : 'backups.run'),
  noun: 'a backup',
  called: (run) => run.title,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (ctx, run) => ({
    perform: (tools) => {
      const carriesOut = acts[tools.step.kind];
      if (!carriesOut) throw new Error(`no step of a backup: ${tools.step.kind}`);
      return carriesOut(ctx, run, tools);
    },
  }),
};

const acts: Partial<Record<Step['kind'], (ctx: Context, run: RunRow, tools: StepTools) => Promise<string>>> = {
  copy,
  trial,
  keep,
  halt: haltStep,
  restore: restoreStep,
  revive: reviveStep,
};

/** What a step is about: the volume is its lane. */
async function about(ctx: Context, run: RunRow, volume: string) {
  const estate = await estateNow(ctx.db);
  const charter = needIn(estate, 'Charter', run.subject);
  const asked = volumesAsked(charter).find((v) => v.name === volume);
  if (!asked)
    throw new StepFailure(`No workload of ${run.subject} has the volume ${volume} any more.`, 'Stop this, and begin anew.');
  const plan = planOf(charter, asked.of);
  if (!plan) throw new StepFailure(`No plan of ${run.subject} backs ${volume} up.`, 'Add one to its charter, then resume.');
  return { estate, charter, asked, plan, store: needIn(estate, 'BackupStore', plan.store) };
}

async function copy(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const volume = tools.step.lane;
  const { estate, asked, plan, store: declared } = await about(ctx, run, volume);
  const cluster = await openCluster(ctx, estate, run.subject);
  const at = await whereIs(cluster.kube, asked);
  const login = cluster.login(at.host, volume);
  await tools.log(`${volume} is read on ${at.host}, ${at.path}`);
  const memory = memoryOf(tools);
  // One that is gone on with keeps its time: it is of then.
  const taken = memory.knows.at ?? new Date().toISOString();
  await memory.remember('at', taken);
  const { store, keys, close } = await openStore(ctx, declared, tools.signal);
  try {
    const made = await makeBackup(
      store,
      keys,
      hostSource(login, at.path),
      { cluster: run.subject, volume, at: taken },
      {
        labels: (run.asked.labels as string[] | undefined) ?? [],
        signal: tools.signal,
        progress: (done, of) =>
          void tools.progress(done, of || Math.max(done, asked.sizeGB * 1e9), bytesText(done)).catch(() => undefined),
      },
    );
    await ctx.db.manager.query(
      `insert into volume_backup (charter, volume, plan, store, name, at, bytes, sent, blocks, labels, made_by) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
       on conflict (store, name) do update set bytes = excluded.bytes, sent = excluded.sent, blocks = excluded.blocks, dropped = null`,
      [
        run.subject,
        volume,
        plan.name,
        declared.name,
        made.name,
        taken,
        made.index.bytes,
        made.sent.bytes,
        made.index.blocks.length,
        JSON.stringify(made.index.labels),
        run.runBy ?? run.createdBy,
      ],
    );
    await noteBackups(ctx.db.manager, run.subject);
    return `${bytesText(made.index.bytes)}, of which ${bytesText(made.sent.bytes)} were sent to ${declared.name}`;
  } finally {
    close();
  }
}

/** Reads the newest one back, holds it against what was sent, and counts the files in it. */
async function trial(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const m = ctx.db.manager;
  const wanted = run.asked.backup as number | undefined;
  const row = wanted === undefined ? (await backupsOf(m, run.subject, tools.step.lane))[0] : await backupById(m, wanted);
  if (!row) throw new StepFailure(`There is no backup of ${tools.step.lane}.`, 'Back it up first, then resume.');
  const { volume } = row;
  const declared = needIn(await estateNow(ctx.db), 'BackupStore', row.store);
  const { store, keys, close } = await openStore(ctx, declared, tools.signal);
  const tell = async (good: boolean, text: string) => {
    await m.query('update volume_backup set tried = now(), tried_good = $2, tried_text = $3 where id = $1', [
      row.id,
      good,
      text.slice(0, 2000),
    ]);
    await noteBackups(m, row.charter);
  };
  try {
    const began = Date.now();
    const index = await readIndex(store, keys, row.name, tools.signal);
    let files = 0;
    const archive = extract();
    const feed = new PassThrough();
    feed.pipe(archive);
    const counting = (async () => {
      for await (const entry of archive) {
        if (entry.header.type === 'file') files++;
        entry.resume();
      }
    })();
    counting.catch(() => undefined);
    const sink = async ({ bytes }: { bytes: Buffer }) => {
      // What cannot be read as an archive takes nothing more.
      if (!feed.write(bytes)) await Promise.race([once(feed, 'drain'), counting]);
    };
    await giveBack(store, keys, index, sink, {
      signal: tools.signal,
      progress: (done, of) => void tools.progress(done, of, bytesText(done)).catch(() => undefined),
    });
    feed.end();
    await counting;
    const text = `${bytesText(index.bytes)} with ${counted(files, 'file')} came back as they were sent, in ${secondsText(Math.max(1, (Date.now() - began) / 1000))}`;
    await tell(true, text);
    return text;
  } catch (e) {
    if (tools.signal.aborted) throw e;
    const { message } = e as Error;
    // What else is hit: blocks are shared.
    const others =
      e instanceof Damaged ? await needing(store, keys, new Set(e.blocks.map((b) => b.id)), tools.signal).catch(() => []) : [];
    const also = others.filter((o) => o.at !== row.at.toISOString() || o.volume !== volume).map((o) => `${o.volume} of ${o.at}`);
    const text = `${message}${also.length ? `; ${counted(also.length, 'other backup needs', 'other backups need')} it: ${also.slice(0, 5).join(', ')}` : ''}`;
    await tell(false, text);
    throw new StepFailure(
      `The backup of ${volume} of ${row.at.toISOString()} cannot be given back: ${text}.`,
      'Back it up anew: what is damaged is sent again where the volume still has it.',
    );
  } finally {
    close();
  }
}

/** What plans keep no longer goes, and with it the blocks that nothing needs any more. */
async function keep(ctx: Context, run: RunRow, { step, log, signal }: StepTools): Promise<string> {
  const estate = await estateNow(ctx.db);
  const charter = needIn(estate, 'Charter', run.subject);
  const declared = needIn(estate, 'BackupStore', step.lane);
  const { store, keys, close } = await openStore(ctx, declared, signal);
  try {
    let gone = 0;
    const restoring = await restoringNow(ctx.db.manager);
    for (const v of volumesAsked(charter)) {
      const plan = planOf(charter, v.of);
      if (plan?.store !== declared.name) continue;
      const rows = (await backupsOf(ctx.db.manager, run.subject, v.name)).filter((b) => b.store === declared.name);
      const { goes } = keptOf(
        rows.map((row) => ({ at: row.at.getTime(), row })),
        plan.keep,
        Date.now(),
      );
      for (const { row } of goes) {
        // Somebody gives it back just now, perhaps to another cluster: it goes the next time.
        if (restoring.has(row.id)) continue;
        await store.remove([row.name], signal);
        await ctx.db.manager.query('update volume_backup set dropped = now() where id = $1', [row.id]);
        await log(`${v.name} of ${row.at.toISOString()} is kept no longer`);
        gone++;
      }
    }
    if (gone) await noteBackups(ctx.db.manager, run.subject);
    const cleared = await clearBlocks(store, keys, signal);
    const dropped = gone ? `${counted(gone, 'backup')} dropped` : 'nothing to drop';
    return cleared
      ? `${dropped}, ${bytesText(cleared.bytes)} freed`
      : `${dropped}; somebody makes a backup there: what is not needed is freed the next time`;
  } finally {
    close();
  }
}
