import { blockId, giveBack, readIndex } from '@praesidor/backups';
import type { AskedVolume } from '@praesidor/core/backup';
import type { Estate } from '@praesidor/core/model';
import { bytesText, counted, secondsText } from '@praesidor/core/words';
import { halt, kube, type KubeAt, apply, type KubeObject, remove, revive, type Scaled, usersOf } from '@praesidor/protocols/kube';
import { ProtocolError } from '@praesidor/protocols/dial';
import { drained } from '@praesidor/protocols/ssh';
import { PassThrough } from 'node:stream';
import { setTimeout as pause } from 'node:timers/promises';
import type { z } from 'zod';
import type { Context } from '../../context.ts';
import type { RunRow } from '../../db/tables.ts';
import { StepFailure } from '../../engine/failure.ts';
import type { StepTools } from '../../engine/kind.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { sha256 } from '../clusters/kit.ts';
import { askedOf, type NewClaim, placeOf, volumeAt } from './asked.ts';
import { type BackupRow, backupById, newestBackup } from './rows.ts';
import { hostSource, writeOver } from './source.ts';
import { openCluster } from '../builds/open-cluster.ts';
import { openStore } from './store.ts';
import { endedThere, holdsNothing, holdsOf, turned } from './standby-rows.ts';
import { whereIs } from './where.ts';

/** The volume that a step is about: one of a workload, or a claim that the run makes. */
function targetOf(
  run: RunRow,
  estate: Estate,
  step: StepTools['step'],
): Pick<AskedVolume, 'name' | 'namespace' | 'claim'> & { workload?: Scaled } {
  const { made } = askedOf(run);
  if (made) return { name: step.lane, namespace: made.namespace, claim: made.claim };
  const { charter, asked } = volumeAt(estate, placeOf(run, step));
  const kind = charter.workloads?.find((w) => w.name === asked.workload && w.namespace === asked.namespace)?.kind ?? 'Deployment';
  return { ...asked, workload: { kind, namespace: asked.namespace, name: asked.workload } };
}

async function about(ctx: Context, run: RunRow, { step }: StepTools) {
  const estate = await estateNow(ctx.db);
  const { charter } = placeOf(run, step);
  return { estate, charter, target: targetOf(run, estate, step), cluster: await openCluster(ctx, estate, charter) };
}
/** Asks until it is so. @throws StepFailure after a while */
async function until<T>(
  tools: StepTools,
  ask: () => Promise<T | undefined>,
  otherwise: () => string,
  remedy: string,
): Promise<T> {
  const end = Date.now() + 600_000;
  for (;;) {
    const found = await ask();
    if (found !== undefined) return found;
    if (Date.now() > end) throw new StepFailure(otherwise(), remedy);
    await pause(500, undefined, { signal: tools.signal });
  }
}

/** All that uses the volume ends, and is begun again afterwards. */
export async function haltStep(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const { target, cluster } = await about(ctx, run, tools);
  const { workload, claim, namespace } = target;
  const had = workload ? await halt(cluster.kube, workload) : undefined;
  let users: string[] = [];
  await until(
    tools,
    async () => {
      users = await usersOf(cluster.kube, namespace, claim);
      return users.length ? undefined : true;
    },
    () => `${users.join(', ')} of ${namespace} still use ${target.name}.`,
    'End what else uses it (kubectl get pods), then resume.',
  );
  await endedThere(ctx.db.manager, run, tools.step);
  return had ? `${workload?.name} had ${counted(had, 'pod')}: they have ended` : 'nothing used it';
}

/** What a standby copy is of does not answer: nothing there can be ended, and whoever said so is taken at his word only where it is so. */
export async function silentStep(ctx: Context, run: RunRow, { step }: StepTools): Promise<string> {
  const { charter } = placeOf(run, step);
  const estate = await estateNow(ctx.db);
  const answers = await answering(ctx, estate, charter);
  if (answers)
    throw new StepFailure(
      `${charter} answers: what runs there can be ended.`,
      'Stop this, and activate it anew, so that it is ended there first.',
    );
  return `${charter} does not answer`;
}
/** Whether the API of a cluster answers; one that was taken down does not. @throws StepFailure where it is being changed */
export async function answering(ctx: Context, estate: Estate, name: string): Promise<boolean> {
  if (!estate.hosts.some((h) => h.state === 'serving' && h.held?.charter === name)) return false;
  const { kube: at } = await openCluster(ctx, estate, name);
  return kube(at, '/version').then(
    () => true,
    (e: unknown) => {
      // Who says no is there.
      if (e instanceof ProtocolError) return e.status !== undefined;
      throw e;
    },
  );
}

/** What was halted has its pods again. */
export async function reviveStep(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const { target, cluster } = await about(ctx, run, tools);
  const { workload } = target;
  if (!workload) return 'nothing was halted';
  await turned(ctx.db.manager, run);
  let last = { ready: 0, wanted: 0 };
  return until(
    tools,
    async () => {
      const now = await revive(cluster.kube, workload);
      if (!now) return `the cluster has no ${workload.kind} ${workload.name}: nothing is started`;
      last = now;
      await tools.progress(now.ready, Math.max(1, now.wanted));
      return now.ready >= now.wanted ? `${counted(now.wanted, 'pod')} of ${workload.name} ready` : undefined;
    },
    () => `${last.ready} of ${last.wanted} pods of ${workload.name} are ready.`,
    'See why (kubectl describe pods), then resume.',
  );
}

/** One for each claim, whatever that is called. */
const holderName = (namespace: string, claim: string) => `restore-${sha256(`${namespace}/${claim}`).slice(0, 12)}`;
/** A pod that does nothing has the claim meanwhile: so its volume is there, on a host. */
const holderOf = (namespace: string, claim: string, image: string): KubeObject =>
  ({
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: { name: holderName(namespace, claim), namespace },
    spec: {
      replicas: 1,
      selector: { matchLabels: { 'app.kubernetes.io/name': holderName(namespace, claim) } },
      template: {
        metadata: { labels: { 'app.kubernetes.io/name': holderName(namespace, claim) } },
        spec: {
          containers: [{ name: 'holder', image }],
          volumes: [{ name: 'volume', persistentVolumeClaim: { claimName: claim } }],
        },
      },
    },
  }) as KubeObject;

async function claimed(kube: KubeAt, made: z.infer<typeof NewClaim>): Promise<void> {
  await apply(kube, {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: { name: made.claim, namespace: made.namespace },
    spec: {
      accessModes: ['ReadWriteOnce'],
      resources: { requests: { storage: `${made.sizeGB}G` } },
      ...(made.class ? { storageClassName: made.class } : {}),
    },
  } as KubeObject);
}

/**
 * Where a volume lies, for as long as it is asked for: a local one is where it is; another is on a host as long as a pod has it, and where none has,
 * one that does nothing is given it.
 *
 * @param there false: nothing has the volume yet, and nobody is asked
 * @returns `is`: whether a pod is the one that was given it; `release`: that one ends, also one that was left by a try before
 */
export async function held(
  { kube: at, built }: Pick<Awaited<ReturnType<typeof openCluster>>, 'kube' | 'built'>,
  target: Pick<AskedVolume, 'name' | 'namespace' | 'claim'>,
  tools: StepTools,
  there = true,
) {
  const where = () =>
    whereIs(at, target).catch((e: unknown) => {
      if (e instanceof StepFailure) return undefined;
      throw e;
    });
  const image = built.release?.components.find((c) => c.name === 'pause')?.image;
  const holder = holderOf(target.namespace, target.claim, image ?? '');
  const release = async () => void (await remove(at, holder).catch(() => undefined));
  const is = (pod: string) => pod.startsWith(holder.metadata.name);
  const lies = there ? await where() : undefined;
  if (lies) return { ...lies, release, is };
  if (!image)
    throw new StepFailure(
      `The release of ${built.charter.name} has no image that could hold ${target.name}.`,
      'Start a pod that uses it.',
    );
  await apply(at, holder);
  const found = await until(
    tools,
    where,
    () => `${target.namespace}/${target.claim} is on no host.`,
    'See what its claim waits for (kubectl describe pvc), then resume.',
  ).catch(async (e: unknown) => {
    await release();
    throw e;
  });
  return { ...found, release, is };
}

/** The backup that a step gives back. @throws StepFailure where there is none any more */
async function backupFor(ctx: Context, run: RunRow, tools: StepTools): Promise<BackupRow> {
  const { backup, gives } = askedOf(run);
  const from = gives?.[tools.step.id];
  const m = ctx.db.manager;
  const id = from ? from.backup : backup;
  const row = id === undefined ? from && (await newestBackup(m, from.charter, from.volume)) : await backupById(m, id);
  if (!row)
    throw new StepFailure(
      id === undefined ? `There is no backup of ${from?.volume ?? tools.step.lane}.` : `Backup ${id} was dropped.`,
      'Stop this, and choose another one.',
    );
  return row;
}

/** The backup takes the place of what the volume has; then all its blocks are read there once more, and held against those that were backed up. */
export async function restoreStep(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const { estate, target, cluster } = await about(ctx, run, tools);
  const { made } = askedOf(run);
  const row = await backupFor(ctx, run, tools);
  if (made) await claimed(cluster.kube, made);
  const at = await held(cluster, target, tools, !made);
  const ways: (() => unknown)[] = [at.release];
  try {
    const users = (await usersOf(cluster.kube, target.namespace, target.claim)).filter((p) => !at.is(p));
    if (users.length)
      throw new StepFailure(
        `${users.join(', ')} of ${target.namespace} ${users.length === 1 ? 'uses' : 'use'} ${target.name} again.`,
        'Have what starts them end (kubectl get pods), then resume.',
      );
    const login = cluster.login(at.host, target.name);
    const { store, keys, close } = await openStore(ctx, needIn(estate, 'BackupStore', row.store), tools.signal);
    ways.push(close);
    const began = Date.now();
    const index = await readIndex(store, keys, row.name, tools.signal);
    await holdsNothing(ctx.db.manager, run, tools.step);
    await tools.log(`${row.volume} of ${row.at.toISOString()} is written on ${at.host}, ${at.path}`);
    const pipe = new PassThrough({ highWaterMark: index.blockBytes });
    const gives = giveBack(
      store,
      keys,
      index,
      async ({ bytes }) => {
        // The host has broken off: how is told by itself.
        if (pipe.destroyed) throw new ProtocolError('cut', at.host, 'it takes nothing more');
        if (!pipe.write(bytes)) await drained(pipe);
      },
      { signal: tools.signal, progress: (done, of) => void tools.progress(done, of, bytesText(done)).catch(() => undefined) },
    ).then(
      () => pipe.end(),
      (e: Error) => {
        pipe.destroy(e);
        throw e;
      },
    );
    // Of both the first fault is the one that counts: the other follows from it.
    await Promise.all([gives, writeOver(login, at.path, pipe, tools.signal).finally(() => pipe.destroy())]);
    const there = await hostSource(login, at.path).blocks(tools.signal);
    const other = index.blocks.findIndex((id, n) => blockId(keys, there[n]?.sha256 ?? '') !== id);
    if (other >= 0 || there.length !== index.blocks.length)
      throw new ProtocolError(
        'digest',
        at.host,
        `block ${other < 0 ? index.blocks.length : other} of ${at.path} is another than the one that was backed up`,
      );
    await holdsOf(ctx.db.manager, run, tools.step, row.at);
    return `${bytesText(index.bytes)} of ${row.at.toISOString()} on ${at.host}, each block as it was backed up, in ${secondsText(Math.max(1, Math.round((Date.now() - began) / 1000)))}`;
  } finally {
    for (const end of ways) await end();
  }
}
