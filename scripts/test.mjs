#!/usr/bin/env node
/* `npm test`: installs what is missing, lints, checks types, runs every suite; ends with one line of totals. */
import { spawn, spawnSync } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync, statfsSync } from 'node:fs';
import { join } from 'node:path';
import { checkNode, debian, judges, modules, packages, root, state, web } from './lib/install.mjs';
import { createDatabase, startPostgres } from './lib/postgres.mjs';
import { fail, step } from './lib/say.mjs';

checkNode();
const began = Date.now();
let pg;
let suites;
/** Where the suites keep what they throw away: in memory where there is plenty, since they lay thousands of small files. */
const scratch = inMemory();
function inMemory() {
  try {
    const s = statfsSync('/dev/shm');
    if (s.bavail * s.bsize < 4e9) return undefined;
    const dir = mkdtempSync('/dev/shm/praesidor-tests-');
    // PostgreSQL runs as somebody else and must be able to walk through it.
    chmodSync(dir, 0o755);
    return dir;
  } catch {
    return undefined;
  }
}
const stop = async () => {
  // The suites first: they hold connections to the database, and must not outlive whoever started them.
  if (suites && suites.exitCode === null) {
    const ended = new Promise((done) => suites.once('exit', done));
    suites.kill('SIGTERM');
    const timer = setTimeout(() => suites.kill('SIGKILL'), 10_000);
    await ended;
    clearTimeout(timer);
  }
  await pg?.stop().catch(() => undefined);
  if (scratch) rmSync(scratch, { recursive: true, force: true });
};
process
  .on('SIGINT', () => void stop().then(() => process.exit(130)))
  .on('SIGTERM', () => void stop().then(() => process.exit(143)));

const bin = (name) => join(root, 'node_modules/.bin', name);
/** Runs a tool and shows what it says only when it finds something. */
function quietly(what, command, args) {
  return step(what, async () => {
    const r = spawnSync(command, args, { cwd: root, encoding: 'utf8' });
    if (r.status !== 0) {
      process.stdout.write(`\n${r.stdout ?? ''}${r.stderr ?? ''}\n`);
      throw new Error(`${what} found something`);
    }
  });
}

try {
  if (process.getuid?.() === 0) await debian({ ...packages, ...judges });
  else {
    await debian(packages);
    const absent = Object.keys(judges).filter((name) => !judges[name]());
    if (absent.length) process.stdout.write(`Not installed, and what they judge is skipped: ${absent.join(', ')}\n`);
  }
  await modules();
  await quietly('Linting', bin('biome'), ['check', '--error-on-warnings', '.']);
  await quietly('Holding imports against the layers', bin('depcruise'), [
    '--config',
    '.dependency-cruiser.mjs',
    'packages',
    'apps',
  ]);
  await quietly('Checking types', process.execPath, ['node_modules/typescript-7/bin/tsc', '--noEmit', '-p', 'tsconfig.json']);
  await web();
  pg = await step('Starting PostgreSQL', async () => {
    const p = await startPostgres(join(state, 'test-postgres'), 54400, { lasting: false });
    createDatabase(p, 'tests');
    return p;
  });
  const report = join(state, 'test-results.json');
  rmSync(report, { force: true });
  const code = await new Promise((done) => {
    suites = spawn(
      process.execPath,
      [
        join(root, 'node_modules/vitest/vitest.mjs'),
        'run',
        '--reporter=default',
        '--reporter=json',
        `--outputFile.json=${report}`,
        ...process.argv.slice(2),
      ],
      {
        cwd: root,
        stdio: 'inherit',
        env: { ...process.env, TEST_DATABASE_URL: pg.url('tests'), ...(scratch ? { TMPDIR: scratch } : {}) },
      },
    );
    suites.once('exit', (c) => done(c ?? 1));
  });
  await stop();
  const r = JSON.parse(readFileSync(report, 'utf8'));
  const skipped = r.numPendingTests + (r.numTodoTests ?? 0);
  process.stdout.write(
    `\nafter ${Math.round((Date.now() - began) / 1000)} s\ntotal: ${r.numPassedTests} passed, ${r.numFailedTests} failed${skipped ? `, ${skipped} skipped` : ''}\n`,
  );
  process.exit(code);
} catch (e) {
  await stop();
  fail(`The tests could not be run: ${e.message}`);
}
