import type { EntityManager } from 'typeorm';
import { heldFor, type Plan, resolve } from '@praesidor/core/charter';
import { doTo } from '@praesidor/core/hosts';
import { hostWith, leftOver } from '@praesidor/core/ledger';
import type { Principal } from '@praesidor/core/access';
import { type Change, type Charter, type Doc, type Estate, keyOf, type Reservation, same } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import { mergeDocs, saveOver } from '../../estate/change.ts';
import { lockDocs, needDoc, writeChanges } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';

/** What a charter is saved over: the version that was seen, or the document that the person began from. */
export type Over = { version: number } | { base: Charter | null };

/** Saves a charter as its next revision; what somebody else changed since is kept, field by field, where a base is given. */
export async function saveCharter(
  m: EntityManager,
  who: Principal,
  charter: Charter,
  over: Over,
  note: string,
): Promise<{ version: number; revision: number; changes: Change[] }> {
  const how = { act: 'charters.save', via: 'hand', note } as const;
  const changes =
    'version' in over
      ? await saveOver(m, who, charter, over.version, how)
      : await mergeDocs(m, who, [{ base: over.base, mine: charter }], how);
  const [{ version, revision } = { version: 0, revision: 0 }] = (await m.query(
    'select version, (select coalesce(max(revision), 1) from charter_revision where charter = key) as revision from charter where key = $1',
    [charter.name],
  )) as { version: number; revision: number }[];
  return { version, revision, changes };
}

/** The text of a charter as somebody wrote it last, where somebody did. */
export async function writtenText(m: EntityManager, name: string): Promise<string | undefined> {
  const [row] = (await m.query('select text from charter_text where charter = $1', [name])) as { text: string }[];
  return row?.text;
}
export const keepText = (m: EntityManager, name: string, text: string): Promise<unknown> =>
  m.query('insert into charter_text (charter, text) values ($1, $2) on conflict (charter) do update set text = excluded.text', [
    name,
    text,
  ]);

export interface HoldResult {
  hosts: string[];
  addresses: string[];
  released: string[];
  changes: Change[];
  /** What it was computed from: as it stands, where nothing was changed. */
  estate: Estate;
}

/**
 * Holds what a charter's plan proposes: its hosts become held, its addresses reservations. What an earlier
 * revision held and this one does not need is given back. Nothing is taken from a cluster that serves.
 *
 * @param read the estate as it was read a moment ago: it is gone by where nothing but the course of long work was told since
 */
export async function hold(
  m: EntityManager,
  name: string,
  who: string,
  read?: { estate: Estate; revision: number },
): Promise<HoldResult> {
  await m.query('select pg_advisory_xact_lock(727004)');
  const estate = read && !(await toldSince(m, read.revision)) ? read.estate : (await loadEstate(m)).estate;
  const charter = estate.charters.find((c) => c.name === name);
  if (!charter) throw new Refusal('not-found', `There is no charter ${name}.`);
  const plan = resolve(charter, estate);
  const out: HoldResult = { hosts: [], addresses: [], released: [], changes: [], estate };
  // A slip in the charter (a network that is not there) must not give back what is held.
  if (!plan.site || !plan.network) return out;
  const serving = new Set(estate.hosts.flatMap((h) => (h.held?.charter === name && h.state === 'serving' ? [h.name] : [])));
  const serves = serving.size > 0;
  const changed = new Map<string, Change>();
  const note = (kind: Doc['kind'], key: string, before: Doc | undefined, after: Doc | null) => {
    const first = changed.get(`${kind} ${key}`);
    changed.set(`${kind} ${key}`, { kind, key, before: first ? first.before : (before ?? null), after });
  };
  const put = (doc: Doc, before: Doc | undefined) => note(doc.kind, keyOf(doc), before, doc);
  const wanted = new Map(plan.nodes.map((n) => [n.host, heldFor(name, n)]));
  for (const host of estate.hosts) {
    const held = wanted.get(host.name);
    // What it was installed with stays known of a host that serves.
    const { release, installed, certificates } = host.held?.charter === name ? host.held : {};
    const asNow = held && {
      ...held,
      ...(release ? { release } : {}),
      ...(installed ? { installed } : {}),
      ...(certificates ? { certificates } : {}),
    };
    if (asNow && !same(host.held, asNow)) {
      const step = host.state === 'serving' ? { host } : doTo(host, 'hold', { fits: true });
      if ('refused' in step) throw new Refusal('not-now', `${host.name} cannot be held for ${name}: ${step.refused}.`);
      put({ ...step.host, held: asNow }, host);
      out.hosts.push(host.name);
    }
    if (!held && host.held?.charter === name && host.state === 'held') {
      const step = doTo(host, 'let-go', { fits: true });
      if ('refused' in step) continue;
      put(step.host, host);
      out.released.push(host.name);
    }
  }
  const standing = new Map(
    estate.reservations
      .filter(
        (r) => r.network === plan.network?.name || [...plan.networks, plan.secondNetwork].some((n) => n?.name === r.network),
      )
      .map((r): [string, Reservation] => [keyOf(r), r]),
  );
  const needed = new Map(plan.reservations.map((r) => [r.owner.use, r]));
  for (const r of estate.reservations.filter((x) => x.owner.kind === 'charter' && x.owner.name === name)) {
    const want = needed.get(r.owner.use);
    if (want?.address === r.address && want.network === r.network) {
      if (want.name !== r.name || want.mac !== r.mac) put({ ...want, since: r.since }, r);
      needed.delete(r.owner.use);
      continue;
    }
    if (serves && leftOver(r, (host) => estate.hosts.find((h) => h.name === host))?.is !== 'wiped') continue;
    note('Reservation', keyOf(r), r, null);
    out.released.push(r.address);
  }
  for (const r of needed.values()) {
    // What serves keeps its address; the new one is for a cluster built anew.
    if (
      serves &&
      estate.reservations.some((x) => x.owner.kind === 'charter' && x.owner.name === name && x.owner.use === r.owner.use)
    )
      continue;
    const mine = changed.get(`Reservation ${keyOf(r)}`);
    // Of a host that serves still: it goes over when that one has left.
    const there = standing.get(keyOf(r));
    if (!mine && there?.owner.kind === 'charter' && there.owner.name === name && serving.has(hostWith(there) ?? '')) continue;
    if (mine ? mine.after : there)
      throw new Refusal('held-twice', `${r.address}, wanted for ${r.owner.use} of ${name}, is reserved for somebody else.`, {
        remedy: 'Set another address in the charter, or release that reservation.',
      });
    put({ ...r, since: new Date().toISOString() }, undefined);
    out.addresses.push(r.address);
  }
  const changes = [...changed.values()];
  // Locked, and looked at once more: an edit that came in between is not overwritten.
  const now = await lockDocs(m, changes);
  const moved = changes.find((c) => !same(now.get(`${c.kind} ${c.key}`)?.doc ?? null, c.before));
  if (moved)
    throw new Refusal('conflict', `${moved.kind} ${moved.key} was changed while ${name} was being held.`, {
      remedy: 'Hold it again: what follows is computed anew.',
    });
  await writeChanges(m, changes, who, '');
  out.changes = changes;
  return out;
}

/**
 * Whether anything but the course of long work was told since an estate was read.
 * @param charter where one is named: other charters do not count, whose hosts and addresses the database keeps apart
 */
export async function toldSince(m: EntityManager, revision: number, charter?: string): Promise<boolean> {
  const [row] = (await m.query(
    `select exists (select 1 from event where position > $1 and kind not in ('Build', 'Work', 'Shipment', 'Proof')
       and not ($2::text is not null and kind = 'Charter' and subject <> $2)) as told`,
    [revision, charter ?? null],
  )) as { told: boolean }[];
  return row?.told ?? true;
}

/** The plan of a charter as it is saved. */
export async function planOf(
  ctx: Context,
  name: string,
): Promise<{ plan: Plan; estate: Awaited<ReturnType<typeof loadEstate>>['estate']; version: number }> {
  const { estate } = await loadEstate(ctx.db);
  const { doc, version } = await needDoc(ctx.db.manager, 'Charter', name);
  return { plan: resolve(doc, estate), estate, version };
}
