import { counted } from '@praesidor/core/words';
import { type HostColumns, merged, writeHosts, type HostLine, type HostPreview } from '@praesidor/core/hosts';
import type { Principal } from '@praesidor/core/access';
import { type Edit, type Estate, type Host, keyOf, type Reservation } from '@praesidor/core/model';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type SightingRow, Sightings } from '../../db/tables.ts';
import { changePlan } from '../../estate/change.ts';
import { lockHost, needDoc } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { noteFacts } from './facts.ts';

export async function previewHosts(
  ctx: Context,
  text: string,
  site: string | undefined,
  columns: HostColumns,
): Promise<HostPreview> {
  const { estate } = await loadEstate(ctx.db);
  return read(ctx, estate, text, site, columns);
}

const read = (ctx: Context, { sites, hosts, now }: Estate, text: string, site: string | undefined, columns: HostColumns) =>
  ctx.compute.run('readHosts', { text, sites, hosts, now, site, columns });

/** What becomes of a line that is a machine we have under another name. */
export type Double = 'skip' | 'merge';

/**
 * Takes a table of hosts in one transaction. Lines that are wrong stop it unless they may be left out; a line that is a
 * machine we have is left out, or merged into the entry that is there.
 */
export async function importHosts(
  ctx: Context,
  asked: {
    text: string;
    site?: string | undefined;
    leaveOut: boolean;
    doubles: Double;
    columns: HostColumns;
    revision?: number | undefined;
  },
  who: Principal,
) {
  const { estate } = await loadEstate(ctx.db);
  const p = await read(ctx, estate, asked.text, asked.site, asked.columns);
  if (p.fault)
    throw new Refusal('invalid', `The table cannot be read: line ${p.fault.line}: ${p.fault.message}.`, { places: [p.fault] });
  const wrong = p.lines.filter((l) => l.what === 'wrong');
  if (wrong.length && !asked.leaveOut)
    throw new Refusal(
      'invalid',
      `Nothing was imported: ${counted(wrong.length, 'line is', 'lines are')} wrong, the first is line ${wrong[0]?.line}: ${wrong[0]?.message}.`,
      {
        places: wrong.slice(0, 100).map((l) => ({ line: l.line, message: l.message })),
        remedy: 'Correct them, or leave them out.',
      },
    );
  const standing = new Map(estate.hosts.map((h) => [h.name, h]));
  const docs = p.lines.flatMap((l) => docOf(l, standing, asked.doubles));
  const edits = docs.map((doc): Edit => ({ op: 'put', doc }));
  return ctx.db.transaction(async (m) => {
    const changes = await changePlan(m, who, edits, {
      act: 'hosts.list',
      via: 'hand',
      note: 'imported hosts',
      revision: asked.revision,
    });
    for (const d of docs) {
      const before = standing.get(d.name)?.facts;
      if (d.facts && d.facts !== before) await noteFacts(m, d.name, before, d.facts);
    }
    const act = await record(
      m,
      who.login,
      'imported hosts',
      docs.map((d) => d.name).join(' '),
      { ...p.counts },
      changes,
      'hosts.list',
    );
    return { counts: p.counts, taken: docs.length, act };
  });
}

function docOf(l: HostLine, standing: ReadonlyMap<string, Host>, doubles: Double): Host[] {
  if (!l.doc || l.what === 'wrong' || l.what === 'same') return [];
  if (l.what !== 'double') return [l.doc];
  const keep = standing.get(l.double ?? '');
  return doubles === 'merge' && keep ? [merged(keep, l.doc)] : [];
}

export async function exportHosts(ctx: Context, site: string | undefined): Promise<string> {
  const { estate } = await loadEstate(ctx.db);
  return writeHosts(estate.hosts.filter((h) => !site || h.site === site));
}

/** Makes one entry out of two that are one machine: what `drop` held in the ledger goes over to `keep`. */
export async function mergeHosts(
  ctx: Context,
  keepName: string,
  dropName: string,
  who: Principal,
): Promise<{ act: number; host: Host }> {
  return ctx.db.transaction(async (m) => {
    const { doc: keep } = await needDoc(m, 'Host', keepName);
    const { doc: drop } = await needDoc(m, 'Host', dropName);
    if (keepName === dropName) throw new Refusal('invalid', 'A host cannot be merged with itself.');
    if (drop.held) throw new Refusal('not-now', `${dropName} is held for ${drop.held.charter}; keep that one instead.`);
    const host = merged(keep, drop);
    const { estate } = await loadEstate(m);
    const mine = estate.reservations.filter((r) => r.owner.kind === 'host' && r.owner.name === dropName);
    const edits: Edit[] = [
      { op: 'drop', kind: 'Host', key: dropName },
      { op: 'put', doc: host },
      ...mine.map((r): Edit => ({ op: 'put', doc: { ...r, owner: { ...r.owner, name: keepName } } as Reservation })),
    ];
    const note = `merged ${dropName} into ${keepName}`;
    const changes = await changePlan(m, who, edits, { act: 'hosts.list', via: 'act', note });
    return {
      host,
      act: await record(
        m,
        who.login,
        'merged hosts',
        `${keepName} ${dropName}`,
        { reservations: mine.map(keyOf) },
        changes,
        'hosts.list',
      ),
    };
  });
}

/** A sighted machine is a listed host whose controller moved: its address, fingerprint and facts are taken over. */
export async function rejoin(ctx: Context, name: string, address: string, who: Principal): Promise<{ act: number; host: Host }> {
  return ctx.db.transaction(async (m) => {
    const s = (await m.findOneBy(Sightings, { address })) as SightingRow | null;
    if (!s?.accepted || !s.facts) throw new Refusal('not-now', `The certificate at ${address} has not been accepted.`);
    const doc = await lockHost(m, name);
    const facts = s.facts as NonNullable<Host['facts']>;
    if (doc.facts?.serial && doc.facts.serial !== facts.serial)
      throw new Refusal(
        'conflict',
        `${name} has the serial ${doc.facts.serial}, the machine at ${address} has ${facts.serial}: they are two.`,
      );
    const host: Host = {
      ...doc,
      bmc: { address, credential: s.credential ?? doc.bmc?.credential ?? `bmc-${doc.site}`, fingerprint: s.fingerprint },
      facts,
    };
    const note = `${name} answers at ${address}`;
    const changes = await changePlan(m, who, [{ op: 'put', doc: host }], { act: 'hosts.accept', via: 'act', note });
    await noteFacts(m, name, doc.facts, facts);
    await tell(m, 'Sighting', address);
    return { host, act: await record(m, who.login, 'joined a sighting to its host', name, { address }, changes, 'hosts.accept') };
  });
}
