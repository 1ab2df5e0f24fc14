import type { Principal } from '@praesidor/core/access';
import {
  type BundleManifest,
  broughtForward,
  comingIn,
  commonState,
  type Exchanged,
  type Known,
  knownOf,
  newerOf,
  type ObservedList,
  standingIn,
} from '@praesidor/core/bundles';
import {
  type Change,
  decided,
  differences,
  type Doc,
  type Estate,
  type Kind,
  type Rebased,
  rebase,
  same,
} from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { carryOut } from '../../estate/change.ts';
import { lockDocs, validDoc } from '../../estate/documents.ts';
import { loadEstate, observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { noteFacts } from '../hosts/facts.ts';
import { instanceKey, trustedKeys } from '../images/instance.ts';
import { digest, type OpenBundle, openBundle } from './file.ts';
import { shownBundle } from './service.ts';
import {
  type BundleRow,
  bundlesOf,
  contentOf,
  documentsOf,
  lastTaken,
  lockOther,
  needBundle,
  type Other,
  othersOf,
} from './rows.ts';

/** What somebody decided of a field that was changed here and there. */
export interface Choice {
  kind: Kind;
  key: string;
  path: (string | number)[];
  /** Which of the two stays. */
  keep: 'here' | 'there';
}

/** Takes a bundle in to be looked at: it is read, its signature and every digest are verified, and nothing is changed. */
export async function bring(ctx: Context, content: Buffer, who: string): Promise<{ id: number; number: number; from: string }> {
  const open = await openBundle(ctx, content, await trustedKeys(ctx.config, ctx.db.manager));
  return ctx.db.transaction(async (m) => {
    const other = await signerIn(ctx, m, open);
    await lockOther(m, other.key);
    const list = await bundlesOf(m, other.key);
    refuseOld(list, other, open.manifest);
    const sum = digest(content);
    const there = list.find((b) => b.way === 'from' && b.number === open.manifest.number);
    if (there?.sha256 === sum) return { id: there.id, number: there.number, from: other.name };
    if (there)
      throw new Refusal('conflict', `Another bundle ${there.number} of ${other.name} waits here.`, {
        remedy: 'Leave that one out first, if this one is right.',
      });
    const b = open.manifest;
    const [row] = (await m.query(
      `insert into bundle (key, way, number, made, made_by, sites, revision, taken, state, documents, changes, content, bytes, sha256, by)
       values ($1, 'from', $2, $3, $4, $5, $6, $7, 'waiting', $8, $9, $10, $11, $12, $13) returning id`,
      [
        other.key,
        b.number,
        b.made,
        b.by,
        b.sites,
        b.revision,
        b.taken,
        JSON.stringify(open.documents),
        JSON.stringify(b.changes),
        content,
        content.length,
        sum,
        who,
      ],
    )) as { id: number }[];
    await record(m, who, 'brought a bundle', `${other.name} ${b.number}`, { documents: open.documents.length });
    await tell(m, 'Bundle', other.name);
    return { id: row?.id ?? 0, number: b.number, from: other.name };
  });
}

/** The installation that made a bundle, which has to be trusted here, and to have made it for this one. */
async function signerIn(ctx: Context, m: EntityManager, { signed, manifest }: OpenBundle): Promise<Other> {
  if (signed.state !== 'trusted' && signed.state !== 'foreign') throw new Refusal('invalid', 'Nobody has signed the bundle.');
  const own = await instanceKey(ctx.config, m);
  if (signed.key === own.key) throw new Refusal('invalid', 'This installation made the bundle itself: it is for another one.');
  const other = (await othersOf(m)).find((o) => o.key === signed.key);
  if (!other)
    throw new Refusal('not-allowed', `The bundle is signed by ${signed.by}, whose key is not trusted here.`, {
      remedy: 'Compare its key with what is shown there, then add it: Images, Rules and trust.',
    });
  if (manifest.to !== own.key)
    throw new Refusal('invalid', `${other.name} made the bundle for another installation, and not for this one.`, {
      remedy: 'Bring it there, or have one made for this installation.',
    });
  return other;
}

function refuseOld(list: readonly BundleRow[], other: Other, b: Pick<BundleManifest, 'number'>): void {
  const last = lastTaken(list);
  if (last && b.number <= last.number)
    throw new Refusal(
      'not-now',
      `Bundle ${b.number} of ${other.name} has nothing new: bundle ${last.number} was taken in on ${last.takenAt?.toISOString().slice(0, 16).replace('T', ' ')} UTC by ${last.takenBy}.`,
      { remedy: 'Nothing was changed. Have a new one made there.' },
    );
}

/** The state that both installations have had, against which a bundle is held. */
async function commonBefore(m: EntityManager, list: readonly BundleRow[], b: BundleRow): Promise<Known | undefined> {
  const last = lastTaken(list);
  const sent = list.find((x) => x.way === 'to' && x.number === b.taken);
  return commonState(last && (await exchangedIn(m, last)), sent && (await exchangedIn(m, sent)));
}
const exchangedIn = async (m: EntityManager, { id, number, taken }: BundleRow): Promise<Exchanged> => ({
  number,
  taken,
  documents: knownOf(await documentsOf(m, id)),
});

/** What a bundle changes in what stands, with what was decided already. */
function changesIn(
  theirs: readonly Doc[],
  common: Known | undefined,
  estate: Estate,
  sites: readonly string[],
  choices: readonly Choice[],
): Rebased[] {
  const standing = standingIn(estate);
  let changes: Change[] = comingIn(theirs, common, standing, sites);
  for (const c of choices) changes = decided(changes, c, c.keep === 'there' ? 'mine' : 'theirs', standing(c.kind, c.key));
  return rebase(changes, standing);
}

/** What a bundle that waits would change, as things stand now. */
export async function wouldChange(ctx: Context, id: number) {
  const b = await needBundle(ctx.db.manager, id);
  if (b.way !== 'from') throw new Refusal('not-now', `Bundle ${b.number} was made here.`);
  const { name } = await otherOf(ctx.db.manager, b);
  if (b.state === 'taken') return { bundle: shownBundle(b), name, changes: [], observed: [], evidence: b.changes };
  return ctx.db.transaction('REPEATABLE READ', async (m) => {
    const { estate } = await loadEstate(m);
    const open = await openBundle(ctx, await contentOf(m, b), await trustedKeys(ctx.config, m));
    const list = await bundlesOf(m, b.key);
    const changes = changesIn(open.documents, await commonBefore(m, list, b), estate, b.sites, []);
    return {
      bundle: shownBundle(b),
      name,
      changes: changes.map((c) => ({
        kind: c.kind,
        key: c.key,
        what: c.before ? (c.after ? ('changed' as const) : ('removed' as const)) : ('added' as const),
        fields: c.before && c.after ? differences(c.before, c.after) : [],
        collisions: c.collisions,
        before: c.before,
        after: c.after,
      })),
      observed: newerOf(estate, open.observed).map(([kind, subject, seen]) => ({
        kind,
        subject,
        at: (seen as { at?: string }).at ?? null,
      })),
      evidence: b.changes,
    };
  });
}
const otherOf = async (m: EntityManager, b: BundleRow): Promise<Other> => {
  const other = (await othersOf(m)).find((o) => o.key === b.key);
  if (!other)
    throw new Refusal('not-allowed', `The installation that made bundle ${b.number} is not trusted here any more.`, {
      remedy: 'Leave the bundle out, or trust the key again: Images, Rules and trust.',
    });
  return other;
};

const kindOf: Record<ObservedList, Parameters<typeof observe>[1]> = {
  bills: 'bill',
  registries: 'registry',
  hypervisors: 'hypervisor',
  controllers: 'controller',
  backups: 'backups',
  losses: 'losses',
  zones: 'zone',
};

/**
 * Takes a bundle in: one act, which can be undone. What was changed here and there, and was not decided, keeps all of it out.
 * @throws Refusal with every field that is to be decided
 */
export async function takeIn(ctx: Context, id: number, choices: readonly Choice[], who: Principal) {
  // Read anew: what is taken is what was signed, whatever became of the row meanwhile.
  const first = await needBundle(ctx.db.manager, id);
  const open = await openBundle(ctx, await contentOf(ctx.db.manager, first), await trustedKeys(ctx.config, ctx.db.manager));
  return ctx.db.transaction(async (m) => {
    await lockOther(m, first.key);
    const b = await needBundle(m, id);
    const other = await otherOf(m, b);
    const list = await bundlesOf(m, b.key);
    refuseOld(list, other, b);
    if (b.state !== 'waiting') throw new Refusal('not-now', `Bundle ${b.number} of ${other.name} does not wait here.`);
    const { estate } = await loadEstate(m);
    const common = await commonBefore(m, list, b);
    const changes = changesIn(open.documents, common, estate, b.sites, choices);
    const colliding = changes.filter((c) => c.collisions.length);
    if (colliding.length)
      throw new Refusal(
        'conflict',
        `${counted(colliding.length, 'document was', 'documents were')} changed here and at ${other.name}: ${colliding
          .slice(0, 3)
          .map((c) => `${c.kind} ${c.key}`)
          .join(', ')}${colliding.length > 3 ? ' and others' : ''}. Nothing was taken in.`,
        {
          remedy: 'Choose for each field which of the two stays.',
          collisions: colliding.flatMap((c) => c.collisions.map((x) => ({ ...x, kind: c.kind, key: c.key }))),
        },
      );
    // What stands is what was compared, or somebody was quicker: then nothing is taken in.
    const standing = await lockDocs(m, changes);
    const now = changes.find((c) => !same(standing.get(`${c.kind} ${c.key}`)?.doc ?? null, c.before));
    if (now)
      throw new Refusal('conflict', `${now.kind} ${now.key} was changed just now.`, {
        remedy: 'Look at what would change, then take it in again.',
      });
    const note = `bundle ${b.number} of ${other.name}`;
    const done = await carryOut(
      m,
      who,
      changes.map(({ kind, key, before, after }) => ({ kind, key, before, after: after && validDoc(after) })),
      { act: 'bundles.take-in', via: 'record', note },
    );
    for (const { before, after } of done)
      if (after?.kind === 'Host' && after.facts && after.facts !== (before as typeof after | null)?.facts)
        await noteFacts(m, after.name, (before as typeof after | null)?.facts, after.facts);
    const seen = newerOf(estate, open.observed);
    for (const [kind, subject, data] of seen) await observe(m, kindOf[kind], subject, data);
    for (const c of open.manifest.changes)
      await m.query(
        'insert into brought_change (key, charter, number, about, evidence, bundle) values ($1, $2, $3, $4, $5, $6) on conflict (key, charter, number) do update set about = excluded.about, evidence = excluded.evidence, bundle = excluded.bundle, at = now()',
        [b.key, c.charter, c.number, JSON.stringify(c), open.files.get(c.file) ?? Buffer.alloc(0), b.number],
      );
    for (const site of other.sites)
      if (b.sites.includes(site))
        await observe(m, 'heard', site, { installation: other.name, bundle: { number: b.number, made: b.made.toISOString() } });
    await m.query("update bundle set state = 'taken', taken_at = now(), taken_by = $2 where id = $1", [id, who.login]);
    // What was sent from here and is not known there: it is brought forward, for when it is.
    const coming = knownOf(open.documents);
    for (const sent of list)
      if (sent.way === 'to' && sent.number > b.taken) {
        const forward = broughtForward(knownOf(await documentsOf(m, sent.id)), common, coming);
        await m.query('update bundle set documents = $2 where id = $1', [sent.id, JSON.stringify([...forward.values()])]);
      }
    await forget(m, b);
    const act = await record(
      m,
      who.login,
      'took in a bundle',
      `${other.name} ${b.number}`,
      { documents: done.length, observed: seen.length, changes: open.manifest.changes.length, decided: choices.length },
      done,
      'bundles.take-in',
    );
    await tell(m, 'Bundle', other.name);
    return { act, documents: done.length, observed: seen.length, changes: open.manifest.changes.length };
  });
}

/** What later bundles are never held against is not kept: files, and states of documents that are older than what both have. */
async function forget(m: EntityManager, b: BundleRow): Promise<void> {
  await m.query(
    "update bundle set content = null, documents = null where key = $1 and documents is not null and ((way = 'from' and state = 'taken' and number < $2) or (way = 'to' and number < $3))",
    [b.key, b.number, b.taken],
  );
  await m.query('update bundle set content = null where id = $1', [b.id]);
  // One that waits and is older has nothing new.
  await m.query("delete from bundle where key = $1 and way = 'from' and state = 'waiting' and number < $2", [b.key, b.number]);
}
