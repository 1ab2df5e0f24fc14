import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { Client, eventually } from '../../apps/server/test/installation.ts';

/** `npm run demo` as a person uses it: started, ended, killed, started again. */
const root = join(import.meta.dirname, '../..');
const state = mkdtempSync(join(tmpdir(), 'praesidor-demo-'));
spawnSync('chmod', ['755', state]);

function demo() {
  const child = spawn(process.execPath, ['scripts/demo.mjs'], {
    cwd: root,
    env: { ...process.env, PRAESIDOR_STATE: join(state, 'kept'), PORT: '18080', SPEED: '600' },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let said = '';
  child.stdout.on('data', (d) => {
    said += d;
  });
  child.stderr.on('data', (d) => {
    said += d;
  });
  const ended = new Promise<number | null>((done) => child.once('exit', done));
  return {
    child,
    ended,
    said: () => said,
    up: () =>
      eventually(
        async () => /Praesidor is at +(\S+)/.exec(said)?.[1] || (child.exitCode !== null && Promise.reject(new Error(said))),
        'the demonstration is up',
      ),
  };
}
/** Processes that belong to this demonstration. */
const left = () =>
  spawnSync('pgrep', ['-f', join(state, 'kept')], { encoding: 'utf8' })
    .stdout.trim()
    .split('\n')
    .filter(Boolean);
const listens = (url: string) =>
  fetch(`${url}/api/health`).then(
    (r) => r.ok,
    () => false,
  );

afterAll(() => rmSync(state, { recursive: true, force: true }));

describe('the demonstration', () => {
  it('starts, ends with Ctrl-C leaving nothing, starts again, and bears a kill -9', async () => {
    const first = demo();
    const url = await first.up();
    const [warden] = JSON.parse(readFileSync(join(state, 'kept/accounts.json'), 'utf8')) as { login: string; password: string }[];
    const c = new Client(url);
    expect(await c.signIn(warden?.login ?? '', warden?.password ?? '')).toBe(200);
    expect(first.said()).toContain(warden?.password);
    const { reservations } = await c.good<{ reservations: { address: string }[] }>('POST', '/api/addresses/reserve', {
      network: 'lr-machine',
      owner: { kind: 'hand', name: 'radar desk' },
    });
    first.child.kill('SIGINT');
    expect(await first.ended).toBe(0);
    expect(left()).toEqual([]);
    expect(await listens(url)).toBe(false);

    const second = demo();
    const began = Date.now();
    await second.up();
    const took = (Date.now() - began) / 1000;
    second.child.kill('SIGKILL');
    await second.ended;
    await eventually(async () => !(await listens(url)), 'the server noticed that its parent is gone');
    // Alone on an idle machine it is under 15 s; beside others nobody knows.
    expect(took).toBeLessThan(60);

    const third = demo();
    const again = new Client(await third.up());
    await again.signIn(warden?.login ?? '', warden?.password ?? '');
    expect((await again.estate()).reservations.map((r) => r.address)).toContain(reservations[0]?.address);
    third.child.kill('SIGTERM');
    expect(await third.ended).toBe(0);
    expect(left()).toEqual([]);
  });
});
