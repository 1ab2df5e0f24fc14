import type { EntityManager } from 'typeorm';
import { type Plan, resolve } from '@praesidor/core/charter';
import { doTo } from '@praesidor/core/hosts';
import { type Charter, type Doc, type Edit, keyOf } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import { CharterRevisions } from '../../db/tables.ts';
import { dropDoc, needDoc, readDoc, writeDoc } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';

/** Saves a charter as its next revision; `version` is the one that the writer saw, 0 for a new charter. */
export async function saveCharter(
  m: EntityManager,
  charter: Charter,
  version: number | undefined,
  note: string,
  who: string,
): Promise<{ version: number; revision: number }> {
  const saved = await writeDoc(m, charter, who, version);
  const [{ last } = { last: 0 }] = (await m.query(
    'select coalesce(max(revision), 0) as last from charter_revision where charter = $1',
    [charter.name],
  )) as { last: number }[];
  await m.insert(CharterRevisions, {
    charter: charter.name,
    revision: last + 1,
    doc: charter as never,
    at: new Date(),
    by: who,
    note,
  });
  return { version: saved, revision: last + 1 };
}

export interface HoldResult {
  hosts: string[];
  addresses: string[];
  released: string[];
  inverse: Edit[];
}

/**
 * Holds what a charter's plan proposes: its hosts become held, its addresses reservations. What an earlier
 * revision held and this one does not need is given back. Nothing is taken from a cluster that serves.
 */
export async function hold(m: EntityManager, name: string, who: string): Promise<HoldResult> {
  await m.query('select pg_advisory_xact_lock(727004)');
  const { estate } = await loadEstate(m);
  const charter = estate.charters.find((c) => c.name === name);
  if (!charter) throw new Refusal('not-found', `There is no charter ${name}.`);
  const plan = resolve(charter, estate);
  const out: HoldResult = { hosts: [], addresses: [], released: [], inverse: [] };
  // A slip in the charter (a network that is not there) must not give back what is held.
  if (!plan.site || !plan.network) return out;
  const serves = estate.hosts.some((h) => h.held?.charter === name && h.state === 'serving');
  const put = async (doc: Doc, before: Doc | undefined) => {
    await writeDoc(m, doc, who);
    out.inverse.unshift(before ? { op: 'put', doc: before } : { op: 'drop', kind: doc.kind, key: keyOf(doc) });
  };
  const wanted = new Map(plan.nodes.map((n) => [n.host, n.role]));
  for (const host of estate.hosts) {
    const role = wanted.get(host.name);
    if (role && (host.held?.charter !== name || host.held.role !== role)) {
      const step = host.state === 'serving' ? { host } : doTo(host, 'hold', { fits: true });
      if ('refused' in step) throw new Refusal('not-now', `${host.name} cannot be held for ${name}: ${step.refused}.`);
      await put({ ...step.host, held: { charter: name, role } }, host);
      out.hosts.push(host.name);
    }
    if (!role && host.held?.charter === name && host.state === 'held') {
      const step = doTo(host, 'let-go', { fits: true });
      if ('refused' in step) continue;
      await put(step.host, host);
      out.released.push(host.name);
    }
  }
  const needed = new Map(plan.reservations.map((r) => [r.owner.use, r]));
  for (const r of estate.reservations.filter((x) => x.owner.kind === 'charter' && x.owner.name === name)) {
    const want = needed.get(r.owner.use);
    if (want?.address === r.address && want.network === r.network) {
      if (want.name !== r.name || want.mac !== r.mac) await put({ ...want, since: r.since }, r);
      needed.delete(r.owner.use);
      continue;
    }
    if (serves) continue;
    await dropDoc(m, 'Reservation', keyOf(r));
    out.inverse.unshift({ op: 'put', doc: r });
    out.released.push(r.address);
  }
  for (const r of needed.values()) {
    // What serves keeps its address; the new one is for a cluster built anew.
    if (
      serves &&
      estate.reservations.some((x) => x.owner.kind === 'charter' && x.owner.name === name && x.owner.use === r.owner.use)
    )
      continue;
    if (await readDoc(m, 'Reservation', keyOf(r)))
      throw new Refusal('held-twice', `${r.address}, wanted for ${r.owner.use} of ${name}, is reserved for somebody else.`, {
        remedy: 'Set another address in the charter, or release that reservation.',
      });
    await put({ ...r, since: new Date().toISOString() }, undefined);
    out.addresses.push(r.address);
  }
  return out;
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
