import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gatewayAccount } from '@praesidor/core/files';
import {
  type BackupStore,
  type Gateway,
  type Hypervisor,
  type Kind,
  kinds,
  readDocuments,
  type Registry,
} from '@praesidor/core/model';
import { SignInProvider } from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import { parse } from 'yaml';
import { gatewayKey } from '../areas/gateways/key.ts';
import { giveRights } from '../areas/accounts/service.ts';
import { keep } from '../areas/keyring/service.ts';
import { readConfig } from '../config.ts';
import { openDatabase } from '../db/data-source.ts';
import { putDoc } from '../estate/documents.ts';
import { setAccount } from './account.ts';

/**
 * Fills an empty installation from a folder: `estate/*.yaml` where it has any, `keyring.yaml`, and accounts from the
 * environment. Trust anchors and host keys that the folder leaves open are asked of the proving ground. Does nothing to an
 * installation that holds something already, but for the accounts.
 */
const config = readConfig(process.env);
const db = await openDatabase(config.databaseUrl);
try {
  const dir = process.env.PRAESIDOR_LOAD ?? 'demo';
  // The account of a first start is for an installation that has none.
  const [{ people } = { people: 0 }] = (await db.query('select count(*)::int as people from account')) as { people: number }[];
  const first = process.env.PRAESIDOR_FIRST_ACCOUNT && !people ? [JSON.parse(process.env.PRAESIDOR_FIRST_ACCOUNT)] : [];
  const given = [...first, ...JSON.parse(process.env.PRAESIDOR_ACCOUNTS ?? '[]')] as Parameters<typeof setAccount>[1][];
  for (const a of given)
    if (!((await db.manager.query('select 1 from account where login = $1', [a.login])) as unknown[]).length)
      await setAccount(db.manager, a);
  const [{ n } = { n: 0 }] = (await db.query('select count(*)::int as n from site')) as { n: number }[];
  // An empty demonstration begins with its accounts, and nothing else.
  if (!n && dir) {
    const { authorities: anchors = {}, routers = {} } = await standing(config.provingUrl);
    const read = (existsSync(join(dir, 'estate')) ? readdirSync(join(dir, 'estate')) : [])
      .filter((f) => f.endsWith('.yaml'))
      .sort()
      .map((f) => readDocuments(readFileSync(join(dir, 'estate', f), 'utf8'), f));
    const fault = read.flatMap((r) => r.faults)[0];
    if (fault) throw new Error(`${fault.file}:${fault.line}:${fault.column}: ${fault.path}: ${fault.message}`);
    const docs = read.flatMap((r) => r.docs.map((d) => d.doc));
    await db.transaction(async (m) => {
      for (const kind of Object.keys(kinds) as Kind[])
        for (const doc of docs)
          if (doc.kind === kind)
            await putDoc(
              m,
              doc.kind === 'Registry' || doc.kind === 'Hypervisor' || doc.kind === 'BackupStore'
                ? withAnchor(doc, anchors)
                : doc.kind === 'Gateway'
                  ? withLogins(doc, routers)
                  : doc,
              'set-up',
              'first revision',
            );
      await m.query(
        "insert into charter_revision select key, 1, doc, now(), 'set-up', 'first revision' from charter on conflict do nothing",
      );
      for (const e of (existsSync(join(dir, 'keyring.yaml')) ? parse(readFileSync(join(dir, 'keyring.yaml'), 'utf8')) : []) as {
        name: string;
        use: string;
        user: string;
        secret: string;
        places: string[];
      }[])
        await keep(config, m, e, 'set-up');
      await setProvider(m, dir, anchors.bw);
      // What people may at single sites, and their teams, once those are there.
      for (const { login, ...more } of given) await giveRights(m, login, more);
      // Those who have the estate of the machines put their account on them.
      for (const name of docs.length ? Object.keys(routers) : [])
        await giveAccount(name, gatewayAccount((await gatewayKey(config, m)).public));
    });
  }
  process.stdout.write('{"listening":true}\n');
} catch (e) {
  process.stderr.write(`${(e as Error).message}\n`);
  process.exitCode = 1;
} finally {
  await db.destroy();
  process.disconnect?.();
}

/** The sign-in provider of the folder, where it has one. */
async function setProvider(m: EntityManager, folder: string, ca: string | undefined): Promise<void> {
  const file = join(folder, 'sign-in.yaml');
  if (!ca || !existsSync(file)) return;
  const doc = SignInProvider.parse({ ...(parse(readFileSync(file, 'utf8')) as object), ca });
  await m.query('insert into sign_in_provider (doc) values ($1)', [JSON.stringify(doc)]);
}
/** What an engineer reads off the devices: their authorities, and the host keys of machines that route. */
async function standing(
  url: string | undefined,
): Promise<{ authorities?: Record<string, string>; routers?: Record<string, string> }> {
  return url ? ((await (await fetch(`${url}/state`)).json()) as Awaited<ReturnType<typeof standing>>) : {};
}
/** What an engineer puts on a machine that routes, so that it can be set up. */
async function giveAccount(subject: string, account: ReturnType<typeof gatewayAccount>): Promise<void> {
  const a = await fetch(`${config.provingUrl}/account`, { method: 'POST', body: JSON.stringify({ subject, ...account }) });
  if (!a.ok) throw new Error(await a.text());
}
function withLogins(g: Gateway, routers: Record<string, string>): Gateway {
  const members = g.members.map((m) => {
    const hostKey = routers[m.name];
    return hostKey && !m.login ? { ...m, login: { hostKey } } : m;
  });
  return { ...g, members };
}

/** The authority of a registry, a hypervisor or a store is named after its site; the source has its own. */
function withAnchor<D extends Registry | Hypervisor | BackupStore>(r: D, anchors: Record<string, string>): D {
  const ca = r.ca ?? anchors[r.kind === 'Registry' && r.role === 'source' ? r.name : r.site];
  return ca ? { ...r, ca } : r;
}
