import { clearBlocks, Damaged, giveBack, makeBackup, needing, readIndex } from '@praesidor/backups';
import { keptOf, planOf, standbyVolumes, volumesAsked } from '@praesidor/core/backup';
import type { Backup, Estate } from '@praesidor/core/model';
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
import { askedOf, overwrites, type Place, placeOf, volumeAt } from './asked.ts';
import { openCluster } from '../builds/open-cluster.ts';
import { haltStep, held, restoreStep, reviveStep, silentStep } from './restore.ts';
import { backupById, backupsOf, newestBackup, noteBackups, restoringNow } from './rows.ts';
import { hostSource } from './source.ts';
import { notFollowed } from './standby-rows.ts';
import { openStore } from './store.ts';
import { whereIs } from './where.ts';

/** Volumes of a cluster backed up, tested, or given back, one after the other, as the engine carries it out. */
export const backupRun: RunKind = {
  kind: 'backup',
  act: (run) => (overwrites.has(askedOf(run).what) ? 'backups.restore' : 'backups.run'),
  noun: 'a backup',
  called: (run) => run.title,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (ctx, run) => ({
    perform: (tools) => {
      const carriesOut = acts[tools.step.kind];
      if (!carriesOut) throw new Error(`no step of a backup: ${tools.step.kind}`);
      return carriesOut(ctx, run, tools).catch(async (e: Error) => {
        if (!tools.signal.aborted) await notFollowed(ctx.db.manager, run, e.message);
        throw e;
      });
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
  silent: silentStep,
};

async function copy(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const place = placeOf(run, tools.step);
  const { volume } = place;
  const estate = await estateNow(ctx.db);
  const { charter, asked } = volumeAt(estate, place);
  // What was activated goes back by the plan of the cluster that it came from, where it has none of its own.
  const plan = planOf(charter, asked.of) ?? planOfSource(estate, run, place);
  if (!plan) throw new StepFailure(`No plan of ${charter.name} backs ${volume} up.`, 'Add one to its charter, then resume.');
  const declared = needIn(estate, 'BackupStore', plan.store);
  const cluster = await openCluster(ctx, estate, charter.name);
  const memory = memoryOf(tools);
  // One that is gone on with keeps its time: it is of then.
  const taken = memory.knows.at ?? new Date().toISOString();
  await memory.remember('at', taken);
  // Where it was ended before, no pod has it any more.
  const at = askedOf(run).standby
    ? await held(cluster, asked, tools)
    : { ...(await whereIs(cluster.kube, asked)), release: async () => undefined };
  const opened = await openStore(ctx, declared, tools.signal).catch(async (e: unknown) => {
    await at.release();
    throw e;
  });
  const { store, keys } = opened;
  try {
    await tools.log(`${volume} is read on ${at.host}, ${at.path}`);
    const made = await makeBackup(
      store,
      keys,
      hostSource(cluster.login(at.host, volume), at.path),
      { cluster: charter.name, volume, at: taken },
      {
        labels: askedOf(run).labels ?? [],
        signal: tools.signal,
        progress: (done, of) =>
          void tools.progress(done, of || Math.max(done, asked.sizeGB * 1e9), bytesText(done)).catch(() => undefined),
      },
    );
    await ctx.db.manager.query(
      `insert into volume_backup (charter, volume, plan, store, name, at, bytes, sent, blocks, labels, made_by) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
       on conflict (store, name) do update set bytes = excluded.bytes, sent = excluded.sent, blocks = excluded.blocks, dropped = null`,
      [
        charter.name,
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
    await noteBackups(ctx.db.manager, charter.name);
    return `${bytesText(made.index.bytes)}, of which ${bytesText(made.sent.bytes)} were sent to ${declared.name}`;
  } finally {
    opened.close();
    await at.release();
  }
}

/** The plan of the volume that one here was kept from. */
function planOfSource(estate: Estate, run: RunRow, { charter, volume }: Place): Backup | undefined {
  const here = estate.charters.find((c) => c.name === charter);
  const standby = here?.standbys?.find((s) => s.workload === askedOf(run).standby?.workload);
  const there = estate.charters.find((c) => c.name === standby?.cluster);
  if (!here || !standby || !there) return undefined;
  const pair = standbyVolumes(here, standby, there).pairs.find((p) => p.here.name === volume);
  return pair && planOf(there, pair.there.of);
}

/** Reads the newest one back, holds it against what was sent, and counts the files in it. */
async function trial(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const m = ctx.db.manager;
  const { backup: wanted, gives } = askedOf(run);
  const from = gives?.[tools.step.id] ?? { charter: run.subject, volume: tools.step.lane, backup: wanted };
  const row = from.backup === undefined ? await newestBackup(m, from.charter, from.volume) : await backupById(m, from.backup);
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
