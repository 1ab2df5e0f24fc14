#!/usr/bin/env node
/*
 * `npm start`: the server without a demonstration, over DATABASE_URL or a PostgreSQL of its own. With PRAESIDOR_ROLE=worker a process that shares the work of an
 * installation and serves nobody.
 */
import { join } from 'node:path';
import { mkdirSync } from 'node:fs';
import { checkNode, debian, modules, packages, root, state, web } from './lib/install.mjs';
import { createDatabase, freePort, startPostgres } from './lib/postgres.mjs';
import { start } from './lib/process.mjs';
import { fail, step } from './lib/say.mjs';
import { keyringKey, kept, noteRunning, word } from './lib/secrets.mjs';

checkNode();
const stops = [];
const end = async (code) => {
  for (const s of stops.reverse()) await s().catch(() => undefined);
  process.exit(code);
};
process.on('SIGINT', () => void end(0)).on('SIGTERM', () => void end(0));
try {
  await modules();
  const worker = process.env.PRAESIDOR_ROLE === 'worker';
  for (const name of worker ? ['DATABASE_URL', 'PRAESIDOR_KEY', 'PRAESIDOR_URL', 'PRAESIDOR_DATA'] : [])
    if (!process.env[name]) throw new Error(`a worker needs ${name}, as the servers of its installation have it`);
  if (!worker) await web();
  let url = process.env.DATABASE_URL;
  if (!url) {
    await debian({ postgresql: packages.postgresql });
    const pg = await step('Starting PostgreSQL', async () => {
      const p = await startPostgres(join(state, 'own-postgres'), 54330);
      stops.push(() => p.stop());
      createDatabase(p, 'praesidor');
      return p;
    });
    url = pg.url('praesidor');
  }
  mkdirSync(join(state, 'empty/estate'), { recursive: true });
  const port = await freePort(Number(process.env.PORT ?? 8080));
  const env = {
    PRAESIDOR_URL: `http://127.0.0.1:${port}`,
    PRAESIDOR_KEY: process.env.PRAESIDOR_KEY ?? keyringKey(join(state, 'own')),
    PRAESIDOR_DATA: join(state, 'own/data'),
    PRAESIDOR_WEB: join(root, 'apps/web/dist'),
    ...process.env,
    DATABASE_URL: url,
    PORT: String(port),
  };
  if (worker) {
    const w = await start('worker', 'apps/server/src/main.ts', env);
    stops.push(() => w.stop());
    process.stdout.write(`Praesidor works, and tells how it is at ${await w.listening}/api/ready\n`);
    await end((await w.ended) ?? 1);
  }
  const first = kept(join(state, 'own/warden.json'), () => ({
    login: 'warden',
    name: 'Warden',
    role: 'warden',
    password: word() + word(),
  }));
  await step(
    'Bringing the database up to date',
    async () =>
      (
        await start('load', 'apps/server/src/setup/load.ts', {
          ...env,
          PRAESIDOR_FIRST_ACCOUNT: JSON.stringify(first),
          PRAESIDOR_LOAD: join(state, 'empty'),
        })
      ).listening,
  );
  stops.push(noteRunning(state, { DATABASE_URL: url, PRAESIDOR_KEY: env.PRAESIDOR_KEY }));
  const s = await start('server', 'apps/server/src/main.ts', env);
  stops.push(() => s.stop());
  process.stdout.write(
    `Praesidor is at ${await s.listening}; where nobody had an account yet, it made ${first.login}, whose password stands in .praesidor/own/warden.json\n`,
  );
  void s.ended.then((code) => end(code ?? 1));
} catch (e) {
  fail(`It could not be started: ${e.message}`);
}
