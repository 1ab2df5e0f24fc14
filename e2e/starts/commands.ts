import { spawn, spawnSync } from 'node:child_process';
import { accessSync, chownSync, constants, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { eventually } from '../../apps/server/test/installation.ts';

/** The two commands where they cannot do everything: without root, without the packages, without a network. */
const root = join(import.meta.dirname, '../..');
const asRoot = process.getuid?.() === 0;
const nobody = asRoot ? { uid: 65534, gid: 65534 } : {};
const dirs: string[] = [];
afterAll(() => {
  for (const d of dirs) rmSync(d, { recursive: true, force: true });
});

const lacking = (as: object, env: Record<string, string> = {}) =>
  spawnSync(
    process.execPath,
    [
      '--input-type=module',
      '-e',
      `import { debian } from '${join(root, 'scripts/lib/install.mjs')}'; await debian({ 'praesidor-no-such-package': () => false });`,
    ],
    { cwd: '/', encoding: 'utf8', env: { ...process.env, ...env }, ...as },
  );
/** Others can walk to this folder, so that another account can run what lies in it. */
const open = (() => {
  for (let d = root; d !== '/'; d = dirname(d))
    if (spawnSync('test', ['-x', d], { cwd: '/', ...nobody }).status !== 0) return false;
  return true;
})();

describe('what is missing', () => {
  it.runIf(open)('is named without root, with the one line to run, and nothing else happens', () => {
    const r = lacking(nobody);
    expect([r.status, r.stderr.trim()]).toEqual([
      1,
      'Missing: praesidor-no-such-package. Run this once, then start again:  sudo apt-get install -y praesidor-no-such-package',
    ]);
  });
  it.runIf(asRoot)('and cannot be fetched, is said in one line that asks for the network', () => {
    const r = lacking({});
    expect(r.status).toBe(1);
    expect(r.stderr.trim().split('\n')).toHaveLength(1);
    expect(r.stderr).toMatch(/praesidor-no-such-package.*Is there a network\? The line was: apt-get install/);
  });
});

describe('without root', () => {
  it.runIf(open && asRoot)('the demonstration starts, and ends leaving nothing', async () => {
    const home = mkdtempSync(join(tmpdir(), 'praesidor-nobody-'));
    dirs.push(home);
    chownSync(home, 65534, 65534);
    accessSync(root, constants.R_OK);
    const child = spawn(process.execPath, ['scripts/demo.mjs'], {
      cwd: root,
      ...nobody,
      env: { PATH: process.env.PATH ?? '', HOME: home, PRAESIDOR_STATE: join(home, 'kept'), PORT: '18280' },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let said = '';
    for (const s of [child.stdout, child.stderr]) s.on('data', (d) => (said += d));
    const ended = new Promise<number | null>((done) => child.once('exit', done));
    const url = await eventually(
      async () => /Praesidor is at +(\S+)/.exec(said)?.[1] || (child.exitCode !== null && Promise.reject(new Error(said))),
      'the demonstration is up',
    );
    expect((await fetch(`${url}/api/ready`)).ok).toBe(true);
    child.kill('SIGINT');
    expect(await ended).toBe(0);
    expect(spawnSync('pgrep', ['-f', join(home, 'kept')], { encoding: 'utf8' }).stdout).toBe('');
  });
});
