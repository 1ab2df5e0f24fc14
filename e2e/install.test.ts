import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { eventually, freePort, privateDatabase } from '../apps/server/test/installation.ts';

const root = join(import.meta.dirname, '..');
const dir = mkdtempSync(join(tmpdir(), 'install-'));
const stops: (() => unknown)[] = [() => rmSync(dir, { recursive: true, force: true })];
afterAll(async () => {
  for (const stop of stops.reverse()) await stop();
});

/** The commands under a heading of docs/install.md. */
function commandsOf(step: string): string {
  const text = readFileSync(join(root, 'docs/install.md'), 'utf8');
  const part = text.split(/^## /m).find((p) => p.startsWith(step));
  const found = /```\n([\s\S]*?)```/.exec(part ?? '')?.[1];
  if (!found) throw new Error(`docs/install.md has no commands under ${step}`);
  return found;
}

it('an installation follows its page: from a clean folder to the first sign-in', async () => {
  const database = await privateDatabase();
  stops.push(database.drop);
  const port = await freePort();
  /** As the page says, but in folders of the test, with its database, and without what needs root. */
  const here = (text: string) =>
    text
      .replace(/^(useradd|chown) .*$/gm, '')
      .replace(/ -o praesidor/g, '')
      .replace(/https:\/\/git\.example\/praesidor\.git/g, root)
      .replaceAll('/opt/praesidor', join(dir, 'opt'))
      .replaceAll('/etc/praesidor', join(dir, 'etc'))
      .replaceAll('/var/lib/praesidor', join(dir, 'data'))
      .replace(/^DATABASE_URL=.*$/m, `DATABASE_URL=${database.url}`)
      .replace('PORT=8080', `PORT=${port}`)
      .replace('HOST=0.0.0.0', 'HOST=127.0.0.1')
      .replace('http://10.40.8.10:8080', `http://127.0.0.1:${port}`);
  const run = (step: string) => {
    const r = spawnSync('sh', ['-e', '-c', here(commandsOf(step))], {
      encoding: 'utf8',
      env: { PATH: process.env.PATH, HOME: process.env.HOME },
    });
    expect([step, r.status, r.stderr.split('\n').filter((l) => /error|fatal/i.test(l))]).toEqual([step, 0, []]);
    return r.stdout;
  };
  run('3. Program');
  run('4. Settings');
  const password = /the password is (\S+)/.exec(run('5. First account'))?.[1];
  expect(password).toBeTruthy();

  const unit = readFileSync(join(root, 'docs/front/praesidor.service'), 'utf8');
  const command = /^ExecStart=(.*)$/m.exec(unit)?.[1] as string;
  const service = spawn('sh', ['-c', `set -a; . ${join(dir, 'etc/environment')}; set +a; exec ${command}`], {
    cwd: join(dir, 'opt/app'),
    stdio: ['ignore', 'pipe', 'pipe'],
    env: { PATH: process.env.PATH, HOME: process.env.HOME },
  });
  let said = '';
  for (const stream of [service.stdout, service.stderr])
    stream?.on('data', (d) => {
      said += d;
    });
  stops.push(async () => {
    service.kill('SIGTERM');
    await new Promise((done) => service.once('exit', done));
  });
  const at = `http://127.0.0.1:${port}`;
  await eventually(
    async () => (await fetch(`${at}/api/ready`).catch(() => undefined))?.status === 200,
    () => `the service is ready; it says: ${said}`,
  );
  // A room without internet: what was installed and built above is not fetched or built a second time.
  expect(said).not.toMatch(/Installing|Building/);
  const signedIn = await fetch(`${at}/api/sign-in`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ login: 'iris', password }),
  });
  expect([signedIn.status, ((await signedIn.json()) as { role: string }).role]).toEqual([200, 'warden']);
  expect((await (await fetch(at)).text()).includes('<title>Praesidor</title>')).toBe(true);
});
