import { shared, type Where } from '@praesidor/core/access';
import type { Kind } from '@praesidor/core/model';
import type { FastifyRequest } from 'fastify';
import type { EntityManager } from 'typeorm';
import { z } from 'zod';
import { readFrom, type RunRow } from '../db/tables.ts';

/** What a request is about: documents, sites, a run. */
export type Subject =
  | { kind: Kind; keys: readonly string[] }
  | { sites: readonly string[] }
  | { shipment: string }
  | { run: number }
  | { rollout: string }
  | { bundle: number }
  | { installation: string }
  | { sighted: readonly string[] };
export interface Place {
  /** How it is read out of a request, once that was found to be valid. */
  of: (req: FastifyRequest) => Subject[];
  /** What it does to documents is asked of each of them as it is done; what is not there yet is asked there alone. */
  each?: true;
}

const Params = z.record(z.string(), z.coerce.string());
const params = (req: FastifyRequest) => Params.parse(req.params);
/** What of the bodies of these routes says where an act is done; each was held against the schema of its route before. What is otherwise is nowhere: it takes the role of the account. */
const Body = z
  .object({
    site: z.string(),
    charter: z.string(),
    host: z.string(),
    network: z.string(),
    from: z.string(),
    target: z.string(),
    waves: z.array(z.array(z.string())),
    stops: z.array(z.object({ target: z.string() })),
    hosts: z.array(z.union([z.string(), z.object({ address: z.string() })])),
    addresses: z.array(z.object({ address: z.string() })),
    // Of some routes it is something else.
    to: z.object({ network: z.string() }).optional().catch(undefined),
  })
  .partial()
  .catch({});
const body = (req: FastifyRequest) => Body.parse(req.body ?? {});
const texts = (list: string | readonly (string | { address: string } | { target: string })[] | undefined): string[] =>
  [list ?? []].flat().map((x) => (typeof x === 'string' ? x : 'address' in x ? x.address : x.target));
const by = (kind: Kind, param = 'name'): Place => ({ of: (req) => [{ kind, keys: texts(params(req)[param]) }] });
const given = (kind: Kind, field: 'charter' | 'host' | 'hosts' | 'network' | 'from' | 'target' | 'stops'): Place => ({
  of: (req) => [{ kind, keys: texts(body(req)[field]) }],
});
/** What a change does is asked of each document that it changes. */
const each: Place = { of: () => [], each: true };

/**
 * Where an act is done, by the route: the first pattern that fits. An act of a route that is none of these is about what all sites share: it takes the role of the account, whatever
 * somebody may at single sites. A new route of one site or one cluster is a line.
 */
const places: readonly [RegExp, Place][] = [
  [/^(PUT|DELETE) \/api\/charters\/:name$/, { ...by('Charter'), each: true }],
  [/ \/api\/charters\/:name\/precinct$/, { ...by('Charter'), each: true }],
  [/ \/api\/charters\/:name\//, by('Charter')],
  [/^POST \/api\/templates\/:name\/rollout$/, { of: (req) => [{ kind: 'Charter', keys: body(req).waves?.flat() ?? [] }] }],
  [/^POST \/api\/templates\/:name\/rollout\/:act$/, { of: (req) => [{ rollout: String(params(req).name) }] }],
  [/^POST \/api\/builds$/, given('Charter', 'charter')],
  [/ \/api\/builds\/:charter\//, by('Charter', 'charter')],
  [/ \/api\/hosts\/:name\//, by('Host')],
  [/^POST \/api\/hosts\/acts$/, given('Host', 'hosts')],
  [/^POST \/api\/hosts\/works$/, given('Host', 'hosts')],
  [/^POST \/api\/hosts\/rejoin$/, given('Host', 'host')],
  [/^POST \/api\/hosts\/works\/:id\/:act$/, { of: (req) => [{ run: Number(params(req).id) }] }],
  [/^POST \/api\/hosts\/(sweep|sweep\/stop|cast)$/, { of: (req) => [{ sites: [body(req).site ?? ''] }] }],
  [/^POST \/api\/hosts\/(import|merge)$/, each],
  [/^POST \/api\/hosts\/accept$/, { of: (req) => [{ sighted: texts(body(req).addresses) }] }],
  [/^POST \/api\/hosts\/list$/, { of: (req) => [{ sighted: texts(body(req).hosts) }] }],
  [/ \/api\/registries\/:name\//, by('Registry')],
  [/ \/api\/hypervisors\/:name\//, by('Hypervisor')],
  [/ \/api\/gateways\/:name\//, by('Gateway')],
  [/ \/api\/zones\/:zone\//, by('Zone', 'zone')],
  [/ \/api\/sites\/:name\//, { of: (req) => [{ sites: [String(params(req).name)] }] }],
  [/^POST \/api\/addresses\/(reserve|release)$/, given('Network', 'network')],
  [
    /^POST \/api\/addresses\/move$/,
    {
      of: (req) => [
        {
          kind: 'Network',
          keys: [body(req).network, body(req).to?.network].flatMap((n) => n ?? []),
        },
      ],
    },
  ],
  [/^POST \/api\/shipments$/, given('Registry', 'target')],
  [/^POST \/api\/shipments\/chain$/, given('Registry', 'stops')],
  [/^POST \/api\/reach\/measure$/, given('Host', 'from')],
  [/^POST \/api\/sites\/import$/, each],
  [/^POST \/api\/addresses\/import$/, each],
  [/ \/api\/findings\/accept$/, each],
  [/ \/api\/shipments\/:label\//, { of: (req) => [{ shipment: String(params(req).label) }] }],
  [/ \/api\/installations\/:name\/bundles$/, { of: (req) => [{ installation: String(params(req).name) }] }],
  [/ \/api\/bundles\/:id(\/[\w-]+)?$/, { of: (req) => [{ bundle: Number(params(req).id) }] }],
  [/^POST \/api\/bundles$/, each],
  [/^POST \/api\/approvals\/:id$/, { of: (req) => [{ run: Number(params(req).id) }] }],
  [/^POST \/api\/proposals(\/:id\/\w[\w-]*)?$/, each],
  [/^POST \/api\/(edits|import|acts\/:id\/undo)$/, each],
];
export const placeOf = (method: string, url: string): Place | undefined =>
  places.find(([pattern]) => pattern.test(`${method} ${url}`))?.[1];

/** Where subjects are, as the database has them now; `unknown`: one of them is not there. */
export async function whereIs(m: EntityManager, subjects: readonly Subject[]): Promise<Where & { unknown: boolean }> {
  const sites = new Set<string>();
  const teams = new Set<string>();
  let unknown = false;
  let what: string | undefined;
  for (const s of subjects) {
    if ('sites' in s) for (const site of s.sites) sites.add(site);
    else if ('kind' in s) {
      const rows = await docRows(m, s.kind, s.keys);
      if (rows.length < new Set(s.keys).size) unknown = true;
      for (const r of rows) add(r);
      what ??= s.keys.length === 1 ? `${s.kind === 'Charter' ? 'the cluster' : s.kind.toLowerCase()} ${s.keys[0]}` : undefined;
    } else if ('sighted' in s) {
      const rows = (await m.query('select site, null as team from sighting where address = any($1)', [s.sighted])) as Row[];
      if (rows.length < new Set(s.sighted).size) unknown = true;
      for (const r of rows) add(r);
    } else if ('shipment' in s) {
      const rows = (await m.query(
        'select r.site, null as team from shipment s join registry r on r.key = s.target where s.label = $1',
        [s.shipment],
      )) as Row[];
      if (!rows.length) unknown = true;
      for (const r of rows) add(r);
    } else if ('bundle' in s || 'installation' in s) {
      // One that stands at no site of ours has the sites of what was brought from it.
      const [found] = (await m.query(
        'bundle' in s
          ? 'select sites from bundle where id = $1'
          : "select coalesce(nullif(t.sites, '{}'), (select b.sites from bundle b where b.key = t.public_key and b.way = 'from' and b.state = 'taken' order by b.number desc limit 1), '{}') as sites from trusted_instance t where t.name = $1",
        ['bundle' in s ? s.bundle : s.installation],
      )) as { sites: string[] }[];
      if (!found) unknown = true;
      for (const site of found?.sites ?? []) sites.add(site);
    } else {
      const [run] = (await m.query(
        'rollout' in s
          ? "select site, exclusive, asked from run where kind = 'rollout' and subject = $1 order by id desc limit 1"
          : 'select site, exclusive, asked from run where id = $1',
        ['rollout' in s ? s.rollout : s.run],
      )) as RunRow[];
      if (!run) unknown = true;
      else {
        const at = await whereOfRun(m, run);
        for (const site of at.sites) sites.add(site);
        for (const team of at.teams) teams.add(team);
      }
    }
  }
  return {
    sites: [...sites],
    teams: [...teams],
    unknown,
    ...(what ? { what } : {}),
    elsewhere: await elsewhereOf(m, [...sites]),
  };

  function add({ site, team }: Row) {
    if (site) sites.add(site);
    if (team) teams.add(team);
  }
}
interface Row {
  site: string | null;
  team: string | null;
}

async function docRows(m: EntityManager, kind: Kind, keys: readonly string[]): Promise<Row[]> {
  const team =
    kind === 'Charter' ? 'd.team' : kind === 'Host' ? '(select c.team from charter c where c.key = d.held_by)' : 'null';
  return (await m.query(`select d.doc->>'site' as site, ${team} as team from ${readFrom[kind]} d where d.key = any($1)`, [
    keys,
  ])) as Row[];
}

/** Of some sites, those where another installation stands. */
export async function elsewhereOf(m: EntityManager, sites: readonly string[]): Promise<Record<string, string>> {
  if (!sites.length) return {};
  const rows = (await m.query(
    "select subject, data->>'installation' as name from observation where kind = 'heard' and subject = any($1) order by subject",
    [sites],
  )) as { subject: string; name: string }[];
  return Object.fromEntries(rows.map((r) => [r.subject, r.name]));
}

const distinct = (list: readonly (string | null)[]): string[] => [...new Set(list.flatMap((x) => x ?? []))];

/** Where a run is carried out, and of whose cluster. */
export async function whereOfRun(m: EntityManager, run: Pick<RunRow, 'site' | 'exclusive' | 'asked'>): Promise<Where> {
  // A roll-out is where its clusters are.
  const waves = Array.isArray(run.asked?.waves) ? (run.asked.waves as string[][]).flat() : undefined;
  if (waves) {
    const rows = await docRows(m, 'Charter', waves);
    return { sites: distinct(rows.map((r) => r.site)), teams: distinct(rows.map((r) => r.team)) };
  }
  const charter = typeof run.asked?.charter === 'string' ? run.asked.charter : /^Charter (\S+)$/.exec(run.exclusive ?? '')?.[1];
  const [row] = charter ? await docRows(m, 'Charter', [charter]) : [];
  const sites = run.site ? [run.site] : row?.site ? [row.site] : [];
  if (!sites.length && !row) return shared;
  return { sites, teams: row?.team ? [row.team] : [], ...(charter ? { what: `the cluster ${charter}` } : {}) };
}
