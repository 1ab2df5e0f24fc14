import { bundleFile, type CarriedChange, isOfSites, observedOf, partOf } from '@praesidor/core/bundles';
import { openStates } from '@praesidor/core/schedule';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { statusOf } from '../../engine/state.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { evidenceOf } from '../builds/evidence.ts';
import { buildsWhere } from '../builds/rows.ts';
import { archive } from '../clusters/kit.ts';
import { instanceKey } from '../images/instance.ts';
import { closeBundle, digest } from './file.ts';
import { type BundleRow, bundlesOf, lastTaken, lockOther, needOther } from './rows.ts';

/** Makes the next bundle for another installation: the part of the plan of its sites, what was observed there, and what changes here came to. */
export async function makeBundle(ctx: Context, name: string, who: string): Promise<{ id: number; number: number }> {
  return ctx.db.transaction(async (m) => {
    const other = await needOther(m, name);
    await lockOther(m, other.key);
    const before = await bundlesOf(m, other.key);
    const taken = lastTaken(before);
    const sites = other.sites.length ? other.sites : (taken?.sites ?? []);
    if (!sites.length)
      throw new Refusal('not-now', `It is not known at which sites ${name} stands.`, {
        remedy:
          'Say so first: Sites, on its line. An installation that stands at a site of another one takes a bundle of that one in first.',
      });
    const { estate, revision } = await loadEstate(m);
    const part = partOf(estate, sites);
    const missing = sites.filter((s) => !estate.sites.some((x) => x.name === s));
    if (missing.length) throw new Refusal('not-now', `There is no site ${missing.join(', ')} any more.`);
    const files = new Map<string, Buffer>();
    files.set(bundleFile.documents, Buffer.from(await ctx.compute.run('writeDocuments', { docs: part })));
    files.set(bundleFile.observed, Buffer.from(`${JSON.stringify(observedOf(estate, part, sites))}\n`));
    const here = part.filter(isOfSites(part, sites)).flatMap((d) => (d.kind === 'Charter' ? [d.name] : []));
    const changes = other.sites.length ? [] : await endedChanges(ctx, m, here, before, files);
    const number = 1 + Math.max(0, ...before.filter((b) => b.way === 'to').map((b) => b.number));
    const made = new Date();
    const content = await closeBundle(
      {
        manifest: {
          apiVersion: 'praesidor/v1',
          kind: 'BundleManifest',
          number,
          made: made.toISOString(),
          by: who,
          to: other.key,
          sites,
          revision,
          taken: taken?.number ?? 0,
          changes,
        },
        files,
      },
      await instanceKey(ctx.config, m),
    );
    const [row] = (await m.query(
      `insert into bundle (key, way, number, made, made_by, sites, revision, taken, state, documents, changes, content, bytes, sha256, by)
       values ($1, 'to', $2, $3, $4, $5, $6, $7, 'made', $8, $9, $10, $11, $12, $4) returning id`,
      [
        other.key,
        number,
        made,
        who,
        sites,
        revision,
        taken?.number ?? 0,
        JSON.stringify(part),
        JSON.stringify(changes),
        content,
        content.length,
        digest(content),
      ],
    )) as { id: number }[];
    await record(m, who, 'made a bundle', `${name} ${number}`, { documents: part.length, sites, changes: changes.length });
    await tell(m, 'Bundle', name);
    return { id: row?.id ?? 0, number };
  });
}

/** Changes that have ended and that the other installation is not known to have; their evidence is put among the files. */
async function endedChanges(
  ctx: Context,
  m: EntityManager,
  charters: readonly string[],
  bundles: readonly BundleRow[],
  files: Map<string, Buffer>,
): Promise<CarriedChange[]> {
  const confirmed = lastTaken(bundles)?.taken ?? 0;
  const has = new Set(
    bundles.flatMap((b) => (b.way === 'to' && b.number <= confirmed ? b.changes.map((c) => `${c.charter} ${c.number}`) : [])),
  );
  const ended = await buildsWhere(m, 'b.charter = any($1) and not (r.state = any($2)) order by b.id', [
    charters,
    [...openStates],
  ]);
  const out: CarriedChange[] = [];
  for (const b of ended) {
    if (has.has(`${b.charter} ${b.number}`)) continue;
    const file = `changes/${b.charter}-${b.number}.tar.gz`;
    files.set(file, await whole(archive(`${b.charter}-build-${b.number}`, await evidenceOf(ctx.config, m, b))));
    out.push(await carried(m, b, file));
  }
  return out;
}

async function carried(m: EntityManager, b: BuildRow, file: string): Promise<CarriedChange> {
  const status = await statusOf(m, b);
  const proof = (b.proof ?? []) as { good: boolean }[];
  return {
    charter: b.charter,
    number: b.number,
    title: b.title,
    state: status.state,
    by: b.createdBy,
    ...(status.begun ? { begun: status.begun } : {}),
    ...(status.ended ? { ended: status.ended } : {}),
    holds: proof.filter((l) => l.good).length,
    of: proof.length,
    file,
  };
}

async function whole(stream: AsyncIterable<Buffer>): Promise<Buffer> {
  const pieces: Buffer[] = [];
  for await (const piece of stream) pieces.push(piece);
  return Buffer.concat(pieces);
}
