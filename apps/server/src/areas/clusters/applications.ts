import { kitFiles } from '../builds/kit-files.ts';
import type * as answers from '@praesidor/contract';
import { applications, nameOf, type ObjectName, objectKey, type SeenObject } from '@praesidor/core/applications';
import { endingKinds } from '@praesidor/core/changes';
import type { Plan } from '@praesidor/core/charter';
import { isProgram } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { type KnownResources, type KubeAt, type KubeObject, running, stands, whyNotRunning } from '@praesidor/protocols/kube';
import { parseAllDocuments } from 'yaml';
import type { z } from 'zod';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { kitOf } from '../builds/kit-of-build.ts';
import { kubeOf } from '../builds/kube-of.ts';
import { buildsWhere } from '../builds/rows.ts';

/** Objects that are asked for at a time. */
const atOnce = 8;

/** The add-ons of a cluster as they stand in it, part by part, as its API tells them; also while a change goes on. @throws Refusal where there is no such charter */
export async function applicationsOf(ctx: Context, name: string): Promise<z.input<typeof answers.ClusterApplications>> {
  const estate = await estateNow(ctx.db);
  const charter = needIn(estate, 'Charter', name);
  // The last change, and the one before that ended well: what one gives, and what it takes away.
  const [now, before] = await givers(ctx, name);
  const given = now && (await givenBy(ctx, now, before));
  const seen = new Map<string, SeenObject>();
  let silent: string | undefined;
  if (now && given)
    try {
      const kube = kubeOf(ctx, now.plan as Plan, await kitOf(ctx, now, estate));
      const ours = applications(charter, estate.addons, given, seen).flatMap((a) => a.parts);
      const known: KnownResources = new Map();
      const left = [...ours];
      const ask = async () => {
        for (let o = left.pop(); o; o = left.pop()) seen.set(objectKey(o), await seenOf(kube, o, known));
      };
      await Promise.all(Array.from({ length: atOnce }, ask));
    } catch (e) {
      if (!(e instanceof ProtocolError)) throw e;
      silent = e.message;
    }
  return {
    at: new Date(),
    applications: applications(charter, estate.addons, given, seen),
    ...(now ? { by: now.number } : {}),
    ...(silent ? { silent } : {}),
  };
}

/** The newest change of a cluster that gave it something, or goes on; and the newest before it that ended well. Empty: it does not stand. */
async function givers(ctx: Context, name: string): Promise<BuildRow[]> {
  const rows = await buildsWhere(
    ctx.db.manager,
    "b.charter = $1 and exists (select 1 from build_kit k where k.build = b.id) and r.state in ('done', 'running', 'paused', 'failed') order by b.id desc limit 50",
    [name],
  );
  const ended = rows.findIndex((b) => b.state === 'done' && endingKinds.includes(b.kind));
  const all = ended < 0 ? rows : rows.slice(0, ended);
  const now = all[0];
  if (!now || endingKinds.includes(now.kind)) return [];
  const before = now.state === 'done' ? undefined : all.find((b) => b.state === 'done');
  return before ? [now, before] : [now];
}

/** What changes gave to the API, by the last that did; and which of it was given for add-ons. */
async function givenBy(ctx: Context, now: BuildRow, before: BuildRow | undefined) {
  const objects = new Map<string, ObjectName>();
  const own = new Set<string>();
  for (const { id } of before ? [before, now] : [now]) {
    const [row] = (await ctx.db.manager.query('select files from build_kit where build = $1', [id])) as { files: Buffer }[];
    if (!row) continue;
    for (const [path, text] of Object.entries(kitFiles(row.files))) {
      const stage = /^cluster\/manifests\/\d+-(.*)\.yaml$/.exec(path)?.[1];
      if (!stage) continue;
      for (const d of parseAllDocuments(text)) {
        const o = d.toJS() as KubeObject | null;
        if (!o?.kind || !o.metadata?.name) continue;
        const key = objectKey(nameOf(o));
        objects.set(key, nameOf(o));
        if (stage === 'addons') own.add(key);
      }
    }
  }
  return { charter: (now.plan as Plan).charter, objects: [...objects.values()], own };
}

async function seenOf(k: KubeAt, o: ObjectName, known: KnownResources): Promise<SeenObject> {
  const namespace = o.namespace ?? 'default';
  if (!isProgram(o)) {
    const { apiVersion, kind, name } = o;
    return { there: await stands(k, { apiVersion, kind, metadata: { name, namespace } }, known) };
  }
  const r = await running(k, { kind: o.kind, namespace, name: o.name });
  if (!r) return { there: false };
  const why = r.ready < r.wanted || !r.wanted ? await whyNotRunning(k, namespace, o.name, r.labels) : undefined;
  return { there: true, ready: r.ready, wanted: r.wanted, ...(why ? { why } : {}) };
}
