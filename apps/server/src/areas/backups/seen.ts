import type * as answers from '@praesidor/contract';
import { undeclared, volumesAsked } from '@praesidor/core/backup';
import { claimsSeen, workloadsSeen } from '@praesidor/protocols/kube';
import type { z } from 'zod';
import type { Context } from '../../context.ts';
import { StepFailure } from '../../engine/failure.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { openCluster } from '../builds/open-cluster.ts';

type Seen = z.input<typeof answers.SeenVolume>;

/** Volumes of a cluster as they are: those that are planned first, then those that nobody declared. @throws Refusal where nobody can be asked; ProtocolError */
export async function volumesSeen(ctx: Context, name: string): Promise<z.input<typeof answers.SeenVolumes>> {
  const estate = await estateNow(ctx.db);
  const charter = needIn(estate, 'Charter', name);
  const { kube, built } = await openCluster(ctx, estate, name, false).catch((e: unknown) => {
    if (e instanceof StepFailure) throw new Refusal('not-now', e.message, e.remedy ? { remedy: e.remedy } : {});
    throw e;
  });
  const [claims, works] = await Promise.all([claimsSeen(kube), workloadsSeen(kube)]);
  const planned = volumesAsked(charter);
  const known = new Map(claims.map((c) => [`${c.namespace}/${c.claim}`, c]));
  const shown = (c: (typeof claims)[number], as?: string): Seen => ({
    ...(as ? { planned: as } : {}),
    namespace: c.namespace,
    claim: c.claim,
    state: c.bound ? 'bound' : 'waits',
    bytes: c.bytes,
    ...(c.class ? { class: c.class } : {}),
    lies: c.lies,
    ...(c.copies
      ? {
          copies: c.copies.map(({ volume: _, since: __, ...copy }) => copy),
          wanted: built.storage.find((s) => s.name === c.class)?.copies ?? c.copies.length,
        }
      : {}),
    users: c.users.map(({ pod, host, ready }) => ({ pod, ready, ...(host ? { host } : {}) })),
    ...(c.why ? { why: c.why } : {}),
  });
  const keys = new Set(planned.map((v) => `${v.namespace}/${v.claim}`));
  return {
    at: new Date(),
    undeclared: undeclared(charter, works, claims),
    volumes: [
      ...planned.map((v): Seen => {
        const c = known.get(`${v.namespace}/${v.claim}`);
        if (c) return shown(c, v.name);
        return {
          planned: v.name,
          namespace: v.namespace,
          claim: v.claim,
          state: 'absent',
          bytes: v.sizeGB * 1e9,
          ...(v.class ? { class: v.class } : {}),
          lies: [],
          users: [],
        };
      }),
      ...claims.filter((c) => !keys.has(`${c.namespace}/${c.claim}`)).map((c) => shown(c)),
    ],
  };
}
