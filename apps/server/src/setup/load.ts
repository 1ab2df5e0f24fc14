import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Hypervisor, type Kind, kinds, readDocuments, type Registry } from '@praesidor/core/model';
import { parse } from 'yaml';
import { keep } from '../areas/keyring/service.ts';
import { readConfig } from '../config.ts';
import { openDatabase } from '../db/data-source.ts';
import { putDoc } from '../estate/documents.ts';
import { setAccount } from './account.ts';

/**
 * Fills an empty installation from a folder: `estate/*.yaml`, `keyring.yaml`, and accounts from the
 * environment. Trust anchors that the folder leaves open are asked of the proving ground. Does nothing to an
 * installation that holds something already, but for the accounts.
 */
const config = readConfig(process.env);
const db = await openDatabase(config.databaseUrl);
try {
  const dir = process.env.PRAESIDOR_LOAD ?? 'demo';
  // The account of a first start is for an installation that has none.
  const [{ people } = { people: 0 }] = (await db.query('select count(*)::int as people from account')) as { people: number }[];
  const first = process.env.PRAESIDOR_FIRST_ACCOUNT && !people ? [JSON.parse(process.env.PRAESIDOR_FIRST_ACCOUNT)] : [];
  for (const a of [...first, ...JSON.parse(process.env.PRAESIDOR_ACCOUNTS ?? '[]')] as Parameters<typeof setAccount>[1][])
    if (!((await db.manager.query('select 1 from account where login = $1', [a.login])) as unknown[]).length)
      await setAccount(db.manager, a);
  const [{ n } = { n: 0 }] = (await db.query('select count(*)::int as n from site')) as { n: number }[];
  // An empty demonstration begins with its accounts, and nothing else.
  if (!n && dir) {
    const anchors = await anchorsOf(config.provingUrl);
    const read = readdirSync(join(dir, 'estate'))
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
              doc.kind === 'Registry' || doc.kind === 'Hypervisor' ? withAnchor(doc, anchors) : doc,
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

async function anchorsOf(url: string | undefined): Promise<Record<string, string>> {
  if (!url) return {};
  return ((await (await fetch(`${url}/state`)).json()) as { authorities: Record<string, string> }).authorities;
}

/** The authority of a registry or hypervisor is named after its site; the source has its own. */
function withAnchor<D extends Registry | Hypervisor>(r: D, anchors: Record<string, string>): D {
  const ca = r.ca ?? anchors[r.kind === 'Registry' && r.role === 'source' ? r.name : r.site];
  return ca ? { ...r, ca } : r;
}
