import { type Declared, type Spoken, spokenFor } from '@praesidor/core/ledger';
import type { Network } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';

/** Tables whose documents speak for addresses, with the part of each that does; all of a site, and those without one. */
const tables = {
  sites: ['site', 'doc'],
  networks: ['network', 'doc'],
  gateways: ['gateway', 'doc'],
  zones: ['zone', 'doc'],
  charters: ['charter', 'doc'],
  registries: ['registry', 'doc'],
  backupStores: ['backup_store', 'doc'],
  hypervisors: ['hypervisor', 'doc'],
  hosts: ['host', "jsonb_build_object('name', doc->'name', 'site', doc->'site', 'bmc', doc->'bmc')"],
} as const;
/** Controllers stand in management networks: others need not read thousands of hosts. */
const asked = (network: Network) =>
  Object.entries(tables).filter(([name]) => name !== 'hosts' || network.purpose === 'management');

/** What the plan speaks for in a network beside the ledger, as it stands now. */
export async function spokenIn(m: EntityManager, network: Network): Promise<Spoken[]> {
  const declared: Declared = {
    sites: [],
    networks: [],
    gateways: [],
    zones: [],
    charters: [],
    registries: [],
    backupStores: [],
    hypervisors: [],
    hosts: [],
  };
  const parts = asked(network).map(([name, [table, what]]) => `select '${name}' as name, ${what} as doc from ${table}`);
  for (const { name, doc } of (await m.query(parts.join(' union all '))) as { name: keyof Declared; doc: never }[])
    (declared[name] as unknown[]).push(doc);
  return spokenFor(declared, network);
}

/** Changes whenever one of those documents does: whoever remembers what is spoken for holds it against this. */
export async function stampOf(m: EntityManager, network: Network): Promise<string> {
  const parts = asked(network).map(([, [table]]) => `(select count(*) || '.' || coalesce(sum(version), 0) from ${table})`);
  const [row] = (await m.query(`select concat_ws(' ', ${parts.join(', ')}) as stamp`)) as { stamp: string }[];
  return row?.stamp ?? '';
}
