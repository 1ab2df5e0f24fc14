import { spawn } from 'node:child_process';
import { readFileSync, writeSync } from 'node:fs';
import { connect, createServer } from 'node:net';

/**
 * What runs inside: one program, whose only way out is a socket that the server listens at. There is no other network here, no file but the system's own,
 * and no right that could be taken up again. Bundled into one script (`bundle.ts`).
 */
const relay = createServer((from) => {
  const to = connect('/run/api.sock');
  for (const [a, b] of [
    [from, to],
    [to, from],
  ] as const) {
    a.on('error', () => b.destroy());
    a.pipe(b);
  }
});
relay.listen(6443, '127.0.0.1', () => {
  const child = spawn('/run/program', JSON.parse(readFileSync('/run/args.json', 'utf8')) as string[], {
    // No plugins, no editors: nothing else is found.
    env: { HOME: '/tmp', TMPDIR: '/tmp', KUBECONFIG: '/run/kubeconfig', PATH: '/nowhere' },
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  // Whoever started this is told that everything before it went well.
  writeSync(3, 'begun');
  child.once('error', (e) => {
    writeSync(2, `${e.message}\n`);
    process.exit(126);
  });
  child.once('exit', (code) => process.exit(code ?? 137));
});
