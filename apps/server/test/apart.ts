import { spawn } from 'node:child_process';
import { join } from 'node:path';
// Plain Node, as the start commands use it.
// @ts-expect-error it has no types
import { programOf } from '../../../scripts/lib/bundle.mjs';
import type { Installation } from './installation.ts';

const root = join(import.meta.dirname, '../../..');

/** The server as a process of its own, so that it can be killed for real, or does not share our processor time. */
export async function serveApart(
  i: Installation,
  more: Record<string, string> = {},
): Promise<{ pid: number; exited: () => boolean; kill: () => Promise<void> }> {
  const child = spawn(process.execPath, await programOf('apps/server/src/main.ts'), {
    cwd: root,
    env: { ...process.env, ...i.env(), ...more },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const ended = new Promise<void>((done) => child.once('exit', () => done()));
  await new Promise<void>((done, fail) => {
    child.stdout.on('data', (d) => {
      if (String(d).includes('listening')) done();
    });
    child.once('exit', () => fail(new Error('the server ended')));
  });
  return {
    pid: child.pid as number,
    exited: () => child.exitCode !== null || child.signalCode !== null,
    kill: async () => {
      child.kill('SIGKILL');
      await ended;
    },
  };
}
