import { randomBytes } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { type Kind, keyOf, kinds, writeDocument } from '@praesidor/core/model';
import { openDatabase } from '../../apps/server/src/db/data-source.ts';
import { writeChanges } from '../../apps/server/src/estate/documents.ts';
import { observe } from '../../apps/server/src/estate/load.ts';
import { keep } from '../../apps/server/src/areas/keyring/service.ts';
import type { Config } from '../../apps/server/src/config.ts';
import { asEstate, largeEstate, largeObserved } from '../../demo/large/estate.ts';

/* A generated estate, as files or into an empty database: the same numbers give the same estate. */
const { values } = parseArgs({
  options: {
    hosts: { type: 'string', default: '10000' },
    sites: { type: 'string', default: '300' },
    seed: { type: 'string', default: '1' },
    out: { type: 'string' },
    database: { type: 'string' },
  },
});
const [hosts, sites, seed] = [values.hosts, values.sites, values.seed].map(Number) as [number, number, number];
const docs = largeEstate({ hosts, sites, seed });
const said: string[] = [];
if (values.out) {
  mkdirSync(values.out, { recursive: true });
  for (const kind of Object.keys(kinds) as Kind[]) {
    const some = docs.filter((d) => d.kind === kind);
    if (some.length)
      writeFileSync(join(values.out, `${kind.toLowerCase()}.yaml`), some.map((d) => writeDocument(d)).join('---\n'));
  }
  said.push(`written to ${values.out}`);
}
if (values.database) {
  const db = await openDatabase(values.database);
  const [{ n } = { n: 0 }] = (await db.query('select count(*)::int as n from site')) as { n: number }[];
  if (n) said.push('the database holds an estate already, and was left as it is');
  else
    await db.transaction(async (m) => {
      const changes = docs.map((after) => ({ kind: after.kind, key: keyOf(after), before: null, after }));
      for (let at = 0; at < changes.length; at += 5000)
        await writeChanges(m, changes.slice(at, at + 5000), 'set-up', 'first revision');
      const seen = largeObserved(docs, new Date().toISOString());
      for (const [name, bill] of Object.entries(seen.bills)) await observe(m, 'bill', name, bill);
      for (const [name, registry] of Object.entries(seen.registries)) await observe(m, 'registry', name, registry);
      // What its documents name, where the key of a keyring is at hand: with passwords that nobody asks for.
      const key = process.env.PRAESIDOR_KEY;
      if (key)
        for (const e of asEstate(docs).keys)
          await keep(
            { keyringKey: Buffer.from(key, 'hex') } as Config,
            m,
            { ...e, user: 'desk', secret: randomBytes(12).toString('hex') } as never,
            'set-up',
          );
      // Nothing of it stands anywhere: it is not looked for.
      await m.query(
        "insert into observation values ('round', 'watch', now(), '{}') on conflict (kind, subject) do update set at = now()",
      );
      said.push('written to the database');
    });
  await db.destroy();
}
if (!said.length) said.push('say where to: --out FOLDER, or --database URL');
process.stdout.write(`${hosts} hosts at ${sites} sites, ${docs.length} documents, seed ${seed}: ${said.join('; ')}\n`);
process.disconnect?.();
