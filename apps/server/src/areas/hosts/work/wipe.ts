import { counted } from '@praesidor/core/words';
import { doTo } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';
import { powerState, reset, ejectMedia, eraseDrives, setBoot } from '@praesidor/protocols/redfish';
import { lockHost, needDoc, writeChanges } from '../../../estate/documents.ts';
import { record } from '../../../audit.ts';
import { bmcOf } from '../bmc.ts';
import { stateAsk } from '../facts.ts';
import { guestOf, uncast } from '../hypervisors.ts';
import { WorkFailure, type WorkKind, type WorkOn } from './kind.ts';
import { patiently, untilTask } from './tasks.ts';

/** Erases every drive of hosts that were given back, and keeps what each drive answered as the proof. */
export const wiping: WorkKind = {
  kind: 'wipe',
  title: 'Wipe of',
  limit: 'controllers',
  refuse: async (ctx, name) => {
    const { doc } = await needDoc(ctx.db.manager, 'Host', name);
    if (doc.state !== 'resting') return `it is ${doc.state}; only what was given back is wiped`;
    return doc.guest || doc.bmc?.fingerprint ? undefined : 'its controller has no accepted certificate';
  },
  run: async (on) => {
    const { doc: host } = await needDoc(on.ctx.db.manager, 'Host', on.host);
    if (host.state !== 'resting') return `it is ${host.state} by now`;
    const drives = host.guest ? await wipeGuest(on) : await wipeMetal(on, host);
    return on.ctx.db.transaction(async (m) => {
      const doc = await lockHost(m, on.host);
      const proved: Host = { ...doc, wiped: { at: new Date().toISOString(), by: on.who, drives } };
      const step = doTo(proved, 'wipe', await stateAsk(m, proved));
      if ('refused' in step) throw new WorkFailure(`${on.host}: ${step.refused}`);
      await writeChanges(m, [{ kind: 'Host', key: on.host, before: doc, after: step.host }], on.who, '');
      await record(m, on.who, 'wiped', on.host, { drives });
      return `${counted(drives.length, 'drive')} erased`;
    });
  },
};

/** A guest's drives are its volumes: they are taken away, and cast anew when it is used again. */
async function wipeGuest(on: WorkOn): Promise<string[]> {
  const g = await guestOf(on.ctx, on.host, on.signal);
  await on.progress(20, 'its volumes are taken away');
  await uncast(g);
  return g.mould.disks.map((d, i) => `volume ${on.host}-${i}, ${d.sizeGB} GB: taken away`);
}

async function wipeMetal(on: WorkOn, host: Host): Promise<string[]> {
  const bmc = await bmcOf(on.ctx, host, on.signal);
  if ((await patiently(() => powerState(bmc))) === 'On') {
    await on.progress(2, 'power off');
    await patiently(() => reset(bmc, 'ForceOff'));
  }
  // A build that was given up may have left it booting from an address that is closed, or from a medium of it.
  await patiently(() => setBoot(bmc, 'None'));
  if (host.bmc?.boot === 'media') await patiently(() => ejectMedia(bmc));
  // A drive is told to erase itself once: after a kill its task is followed on.
  let begun = on.knows.tasks ? (JSON.parse(on.knows.tasks) as Awaited<ReturnType<typeof eraseDrives>>) : undefined;
  if (!begun) {
    begun = await eraseDrives(bmc);
    await on.remember('tasks', JSON.stringify(begun));
  }
  if (!begun.length)
    throw new WorkFailure(`${on.host}: its controller names no drive to erase`, 'Wipe it by hand, and retire it otherwise.');
  const out: string[] = [];
  for (const [i, d] of begun.entries()) {
    if (d.task)
      await untilTask(
        on,
        bmc,
        d.task,
        (p) => on.progress(Math.round(((i + p / 100) / (begun?.length ?? 1)) * 100), `${d.drive}, ${p} %`),
        `the erase of ${d.drive} in ${on.host}`,
      );
    out.push(`${d.drive}: erased by its own secure erase`);
  }
  return out;
}
