import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, debian, modules, packages, root, state, web } from './install.mjs';
import { createDatabase, startPostgres } from './postgres.mjs';

/** Runs a TypeScript program with everything installed, the interface built, and the tests' PostgreSQL beside it; ends with its code. */
export async function withDatabase(program) {
  checkNode();
  await debian(packages);
  await modules();
  await web();
  const pg = await startPostgres(join(state, 'test-postgres'), 54400);
  createDatabase(pg, 'tests');
  const code = await new Promise((done) => {
    spawn(process.execPath, ['--import', 'tsx', join(root, program), ...process.argv.slice(2)], {
      cwd: root,
      stdio: 'inherit',
      env: { ...process.env, TEST_DATABASE_URL: pg.url('tests') },
    }).once('exit', done);
  });
  await pg.stop();
  process.exit(code ?? 1);
}
