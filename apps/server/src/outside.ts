import { serverList } from '@praesidor/core/address';
import { hostOf, portedHost, type SignInProvider } from '@praesidor/core/access';
import { holds, isIp, parseIp, parsePrefix, prefixRange, type Range } from '@praesidor/core/address';
import { type Notice, wayOf } from '@praesidor/core/notices';
import { loginAt } from '@praesidor/core/files';
import type { BackupStore, Charter, Gateway, Hypervisor, Network, Registry, Site, Zone } from '@praesidor/core/model';
import { inZone } from '@praesidor/core/naming';
import { Dialer, type Destination, Exits, type Policy, ProtocolError, specialUse } from '@praesidor/protocols/dial';
import { lookup } from '@praesidor/protocols/dns';
import type { DataSource } from 'typeorm';
import type { Config } from './config.ts';
import { docTables } from './db/tables.ts';

/** What is declared, by what a connection may be made for. */
interface Declared {
  ranges: Record<'controller' | 'existing', Range[]>;
  hosts: Record<
    'hypervisor' | 'registry' | 'resolver' | 'zone' | 'cluster' | 'gateway' | 'store' | 'time' | 'notice' | 'sign-in',
    Set<string>
  >;
}
/** Milliseconds that what was read of the plan is believed: a sweep asks a thousand times. */
const believed = 1000;

/**
 * Where this installation connects to: only what is declared for the purpose, and never this machine, its link or its
 * database, unless an operator's setting maps or names the address.
 */
export function policyOf(config: Config, db: DataSource): Policy {
  const database = databaseOf(config.databaseUrl);
  const self = new URL(config.publicUrl);
  let known: { declared: Promise<Declared>; until: number } | undefined;
  const declared = () => {
    if (!known || known.until < Date.now()) {
      known = { declared: readDeclared(db), until: Date.now() + believed };
      known.declared.catch(() => {
        known = undefined;
      });
    }
    return known.declared;
  };
  return async (to) => {
    if (database.has(`${to.address}:${to.port}`) && !to.mapped)
      return `${to.address}:${to.port} is the database of this installation; nothing else is asked of it`;
    // An operator's setting too, wherever it leads.
    if (to.purpose === 'own')
      return to.host === self.hostname && to.port === portOf(self) ? undefined : `${to.host}:${to.port} is not ${self.origin}`;
    const a = isIp(to.address) ? parseIp(to.address) : undefined;
    const named = to.mapped || (a && config.alsoReach.some((r) => holds(r, a)));
    const use = specialUse(to.address);
    if (use && !named) return `${to.address} is ${use}; nothing is connected to there`;
    // What was declared a moment ago is not known yet: a no is said only of what was just read.
    const asked = { ...to, purpose: to.purpose };
    if (!undeclared(asked, await declared())) return undefined;
    known = undefined;
    return undeclared(asked, await declared());
  };
}

/** The port of an address, also where it is the usual one of its scheme. */
export const portOf = (url: URL): number => Number(url.port || (url.protocol === 'https:' ? 443 : 80));

type DeclaredPurpose = Exclude<Destination['purpose'], 'own'>;
const what: Record<DeclaredPurpose, string> = {
  controller: 'it lies in no declared management network',
  hypervisor: 'it is no declared hypervisor',
  registry: 'it is no declared registry',
  resolver: 'it is no declared resolver',
  zone: 'it is the primary of no declared zone',
  gateway: 'no member of a gateway is entered there',
  store: 'it is no declared store for backups',
  time: 'it is no declared time server',
  notice: 'no notice goes there',
  'sign-in': 'it is not the sign-in provider',
  existing: 'it lies in no declared machine network',
  cluster: 'it is no address of a cluster: of its API, of what comes in, of a node or of a service',
};
function undeclared(to: { purpose: DeclaredPurpose; host: string; address: string }, d: Declared): string | undefined {
  const ok =
    to.purpose === 'controller' || to.purpose === 'existing'
      ? isIp(to.address) && d.ranges[to.purpose].some((r) => holds(r, parseIp(to.address)))
      : d.hosts[to.purpose].has(to.host.toLowerCase());
  return ok ? undefined : `${to.host} is not connected to: ${what[to.purpose]}`;
}

async function readDeclared(db: DataSource): Promise<Declared> {
  const of = async <T>(kind: keyof typeof docTables) =>
    (await db.manager.find(docTables[kind], { select: { key: true, doc: true } as never })).map((r) => r.doc as T);
  const [networks, sites, hypervisors, registries, zones, charters, gateways, stores] = await Promise.all([
    of<Network>('Network'),
    of<Site>('Site'),
    of<Hypervisor>('Hypervisor'),
    of<Registry>('Registry'),
    of<Zone>('Zone'),
    of<Charter>('Charter'),
    of<Gateway>('Gateway'),
    of<BackupStore>('BackupStore'),
  ]);
  const api = (await db.query(
    "select host(address) as address from reservation where doc->'owner'->>'kind' = 'charter' and (doc->'owner'->>'use' in ('api', 'inbound') or doc->'owner'->>'use' like 'node %' or doc->'owner'->>'use' like 'service %')",
  )) as { address: string }[];
  const notices = (await db.query('select doc from notice')) as { doc: Notice }[];
  const providers = (await db.query('select doc from sign_in_provider')) as { doc: SignInProvider }[];
  const ranges = (purpose: Network['purpose']) =>
    networks.filter((n) => n.purpose === purpose).map((n) => prefixRange(parsePrefix(n.prefix)));
  return {
    ranges: { controller: ranges('management'), existing: ranges('machine') },
    hosts: {
      hypervisor: new Set(hypervisors.map((h) => hostOf(h.endpoint))),
      registry: new Set(registries.map((r) => hostOf(r.endpoint))),
      resolver: new Set([...sites, ...networks].flatMap((x) => serverList(x.resolvers ?? []).servers)),
      zone: new Set(zones.map((z) => z.primary)),
      time: new Set([...sites, ...networks, ...charters].flatMap((x) => serverList(x.ntp ?? []).servers)),
      gateway: new Set(gateways.flatMap((g) => g.members.flatMap((m) => (m.login ? [loginAt(m)] : [])))),
      store: new Set(stores.flatMap((s) => (s.endpoint ? [hostOf(s.endpoint)] : []))),
      notice: new Set(notices.map(({ doc }) => wayOf(doc).host.toLowerCase())),
      'sign-in': new Set(providers.map(({ doc }) => portedHost(doc.issuer).host)),
      cluster: new Set([
        ...api.map((r) => r.address),
        ...charters.flatMap((one) => [one.api.address ?? [], one.inbound.address ?? []].flat()),
      ]),
    },
  };
}

/** Where the database listens, by every name that its address is written as. */
function databaseOf(url: string): Set<string> {
  const u = new URL(url);
  const port = u.port || '5432';
  const host = u.hostname.replace(/^\[(.*)\]$/, '$1');
  return new Set([`${host}:${port}`, ...(host === 'localhost' ? [`127.0.0.1:${port}`, `::1:${port}`] : [])]);
}

/**
 * The way out of this process: names are asked of the resolvers of the site whose domain they lie in, then
 * of the open sites' resolvers. No other resolver is ever asked.
 */
export function makeDialer(config: Config, db: DataSource): Dialer {
  const exits = new Exits(config.addressMap, policyOf(config, db));
  // Who did not answer is asked last for a while: a resolver that is away holds up nobody twice.
  const silent = new Map<string, number>();
  return new Dialer(exits, async (name) => {
    const sites = (await db.manager.find(docTables.Site)).map((r) => r.doc as Site);
    const own = sites.filter((s) => inZone(name, s.domain));
    const open = sites.filter((s) => s.reach === 'open' && !own.includes(s));
    const servers = [...new Set([...own, ...open].flatMap((s) => serverList(s.resolvers).servers))];
    const late = (address: string) => Number((silent.get(address) ?? 0) > Date.now());
    servers.sort((a, b) => late(a) - late(b));
    let last: unknown;
    for (const address of servers) {
      try {
        const [a] = await lookup({ address, exits, purpose: 'resolver', timeoutMs: 500 }, name, 'A');
        if (a) return a;
      } catch (e) {
        last = e;
        if (e instanceof ProtocolError && ['silent', 'refused'].includes(e.fault)) silent.set(address, Date.now() + 30_000);
      }
    }
    throw last instanceof ProtocolError && (last.fault === 'silent' || last.fault === 'kept-back')
      ? last
      : new ProtocolError(
          'unresolved',
          name,
          `no resolver knows this name (asked ${servers.join(', ') || 'none: no resolvers are declared'})`,
        );
  });
}
