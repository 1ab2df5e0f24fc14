#!/usr/bin/env node
/* `npm run shots`: renews docs/screenshots from the demonstration's data. */
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, debian, modules, packages, root, state, web } from './lib/install.mjs';
import { createDatabase, startPostgres } from './lib/postgres.mjs';

checkNode();
await debian(packages);
await modules();
await web();
const pg = await startPostgres(join(state, 'test-postgres'), 54400);
createDatabase(pg, 'tests');
const code = await new Promise((done) => { spawn(process.execPath, ['--import', 'tsx', join(root, 'e2e/shots.ts')], { cwd: root, stdio: 'inherit', env: { ...process.env, TEST_DATABASE_URL: pg.url('tests') } }).once('exit', done); });
await pg.stop();
process.exit(code ?? 1);
