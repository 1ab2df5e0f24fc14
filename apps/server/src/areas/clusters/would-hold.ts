import { heldFor, type Plan, resolve } from '@praesidor/core/charter';
import { doTo } from '@praesidor/core/hosts';
import { hostWith, leftOver } from '@praesidor/core/ledger';
import { applyDifference, type Change, type Doc, type Estate, keyOf, type Reservation, same } from '@praesidor/core/model';
import { Refusal } from '../../refusal.ts';

export interface HoldResult {
  hosts: string[];
  addresses: string[];
  released: string[];
  changes: Change[];
}

/** What holding a charter changes, in an estate. @throws Refusal where something of it is somebody else's */
export function wouldHold(estate: Estate, name: string, since: string, planned?: Plan): HoldResult {
  const charter = estate.charters.find((c) => c.name === name);
  if (!charter) throw new Refusal('not-found', `There is no charter ${name}.`);
  const plan = planned ?? resolve(charter, estate);
  const out: HoldResult = { hosts: [], addresses: [], released: [], changes: [] };
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
    const { pool: _, ...known } = host.held?.charter === name ? host.held : {};
    const asNow = held && { ...known, ...held };
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
    put({ ...r, since }, undefined);
    out.addresses.push(r.address);
  }
  out.changes = [...changed.values()];
  return out;
}

/** An estate with changes made to it. */
export const withChanges = (estate: Estate, changes: readonly Change[]): Estate =>
  changes.length
    ? applyDifference(estate, {
        now: estate.now,
        docs: changes.flatMap((c) => c.after ?? []),
        gone: changes.flatMap((c) => (c.after ? [] : [`${c.kind} ${c.key}`])),
      })
    : estate;
