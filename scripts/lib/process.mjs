import { spawn } from 'node:child_process';
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { programOf } from './bundle.mjs';
import { root } from './install.mjs';

/**
 * Starts a TypeScript program of ours and waits for the line in which it says where it listens. It is told
 * when we go, however we go: the channel between us breaks, and it ends.
 */
export async function start(name, file, env, logDir) {
  const child = spawn(process.execPath, await programOf(file), {
    cwd: root,
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
  });
  const ended = new Promise((done) => child.once('exit', (code) => done(code)));
  let errors = '';
  child.stderr.on('data', (d) => {
    errors = (errors + d).slice(-3000);
    if (logDir) appendFileSync(join(logDir, `${name}.log`), d);
  });
  const listening = new Promise((done, failed) => {
    let text = '';
    child.stdout.on('data', (d) => {
      if (logDir) appendFileSync(join(logDir, `${name}.log`), d);
      text += d;
      const m = /^\{"listening":(.+)\}$/m.exec(text);
      if (m) {
        text = '';
        done(JSON.parse(m[1]));
      }
      if (text.length > 1e6) text = '';
    });
    child.once('exit', (code) => failed(new Error(`${name} ended (${code}): ${errors.trim().split('\n').at(-1) ?? ''}`)));
  });
  return {
    child,
    ended,
    listening,
    stop: async () => {
      if (child.exitCode === null) child.kill('SIGTERM');
      await ended;
    },
  };
}
