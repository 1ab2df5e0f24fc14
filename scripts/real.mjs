#!/usr/bin/env node
/*
 * `npm run real [SUITE…]`: what takes too long for `npm test`. Machines under emulation boot what the product serves. Each suite has
 * a network namespace of its own with the addresses of one site, so that nothing of this machine's network is touched. An emulated
 * machine keeps two processors busy: so many run at a time as that allows.
 */
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { basename, join } from 'node:path';
import { createInterface } from 'node:readline';
import { checkNode, debian, modules, packages, root, state, web } from './lib/install.mjs';
import { createDatabase, startPostgres } from './lib/postgres.mjs';
import { fail, step } from './lib/say.mjs';

/** What emulates, and what the machines are made of. */
const emulation = {
  'qemu-system-x86': () => existsSync('/usr/bin/qemu-system-x86_64'),
  'qemu-block-extra': () => existsSync('/usr/lib/x86_64-linux-gnu/qemu/block-curl.so'),
  ovmf: () => existsSync('/usr/share/OVMF/OVMF_CODE_4M.fd'),
  'systemd-boot-efi': () => existsSync('/usr/lib/systemd/boot/efi/linuxx64.efi.stub'),
  ipxe: () => existsSync('/usr/lib/ipxe/snponly.efi'),
  'busybox-static': () => existsSync('/bin/busybox'),
  'dnsmasq-base': () => existsSync('/usr/sbin/dnsmasq'),
  nftables: () => existsSync('/usr/sbin/nft'),
  iproute2: () => existsSync('/usr/sbin/ip') || existsSync('/sbin/ip'),
};
const parts = join(state, 'real');
const inside = process.argv.includes('--inside');

/** The kernel of Debian's package, unpacked and not installed. */
async function kernel() {
  const found = () =>
    existsSync(join(parts, 'kernel/boot'))
      ? readdirSync(join(parts, 'kernel/boot')).find((f) => f.startsWith('vmlinuz-'))
      : undefined;
  if (found()) return;
  await step('Fetching a kernel from Debian', async () => {
    rmSync(join(parts, 'kernel'), { recursive: true, force: true });
    mkdirSync(parts, { recursive: true });
    const run = (command, args) => {
      const r = spawnSync(command, args, { cwd: parts, encoding: 'utf8' });
      if (r.status !== 0) fail(`${command} ${args.join(' ')}: ${(r.stderr || r.stdout).trim().split('\n').at(-1)}`);
      return r.stdout;
    };
    const name = /Depends: (linux-image-\S+)/.exec(run('apt-cache', ['depends', 'linux-image-cloud-amd64']))?.[1];
    if (!name) fail('Debian names no kernel: linux-image-cloud-amd64 is not among its packages.');
    run('apt-get', ['download', name]);
    const deb = readdirSync(parts).find((f) => f.startsWith(name) && f.endsWith('.deb'));
    run('dpkg-deb', ['-x', deb, 'kernel']);
    rmSync(join(parts, deb));
  });
}

/** What is added to the system: a kubelet that waits, a journal that is told on the serial console, and a start for checks. */
const programs = {
  '/usr/bin/kubelet': '#!/bin/sh\nexec sleep infinity\n',
  '/etc/systemd/journald.conf.d/console.conf': '[Journal]\nForwardToConsole=yes\nTTYPath=/dev/ttyS0\nMaxLevelConsole=warning\n',
  // The checks come on a disk of their own, so that they can change without another system.
  '/etc/rc.local': `#!/bin/sh
(
  udevadm settle
  mkdir -p /run/checks
  tar -x -f /dev/disk/by-id/virtio-checks -C /run/checks && exec sh /run/checks/run.sh
) > /run/checks.said 2>&1 &
exit 0
`,
};
/** An authority of these suites, kept: the system has it among its own. */
function authority() {
  const at = (file) => join(parts, `authority.${file}`);
  if (!existsSync(at('crt'))) {
    mkdirSync(parts, { recursive: true });
    const key = ['-newkey', 'rsa:2048', '-nodes', '-keyout', at('key')];
    const is = ['-days', '3650', '-subj', '/CN=authority of the kit', '-addext', 'keyUsage=critical,keyCertSign'];
    const r = spawnSync('openssl', ['req', '-x509', ...key, ...is, '-out', at('crt')], { encoding: 'utf8' });
    if (r.status !== 0) fail(`No authority could be made: ${r.stderr.trim().split('\n').at(-1)}`);
  }
  return readFileSync(at('crt'), 'utf8');
}
/** The system that the machines boot: made anew when what makes it, or what is added to it, has changed. */
function system() {
  const added = { ...programs, '/usr/local/share/ca-certificates/kit.crt': authority() };
  const own = createHash('sha256')
    .update(readFileSync(join(root, 'scripts/system.mjs')))
    .update(readFileSync(join(root, 'scripts/lib/guest-disk.mjs')))
    .update(JSON.stringify(added))
    .digest('hex');
  const made = join(parts, 'system.of');
  if (existsSync(made) && readFileSync(made, 'utf8') === own) return;
  const add = Object.entries(added).flatMap(([path, text]) => {
    const file = join(parts, 'added', path.replaceAll('/', '_'));
    mkdirSync(join(parts, 'added'), { recursive: true });
    writeFileSync(file, text);
    return ['--add', `${path}=${file}`];
  });
  const r = spawnSync(process.execPath, [join(root, 'scripts/system.mjs'), '--out', join(parts, 'system'), ...add], {
    stdio: 'inherit',
  });
  if (r.status !== 0) fail('The system could not be made.');
  writeFileSync(made, own);
}

async function outside() {
  checkNode();
  if (process.getuid?.() !== 0) fail('`npm run real` makes a network namespace and starts machines in it: run it as root.');
  await debian({ ...packages, ...emulation });
  await modules();
  await web();
  await kernel();
  system();
  const began = Date.now();
  const waiting = asked();
  for (const signal of ['SIGINT', 'SIGTERM'])
    process.on(signal, () => {
      waiting.length = 0;
    });
  const rooms = Array.from({ length: Math.max(1, Math.floor(availableParallelism() / 2)) }, (_, n) => n + 1).map(
    (lane) =>
      new Promise((done) => {
        const next = async (worst) => {
          const suite = waiting.shift();
          return suite ? next(Math.max(worst, await inRoom(suite, lane))) : worst;
        };
        done(next(0));
      }),
  );
  const codes = await Promise.all(rooms);
  process.stdout.write(`after ${Math.round((Date.now() - began) / 1000)} s\n`);
  process.exit(Math.max(...codes));
}

/** The suites to run, those first that take longest. */
function asked() {
  const named = process.argv.slice(2);
  if (named.length) return named;
  const longest = ['real/system.test.ts', 'real/guest.test.ts'];
  const all = readdirSync(join(root, 'real'))
    .filter((f) => f.endsWith('.test.ts'))
    .map((f) => `real/${f}`);
  return [...longest, ...all.filter((f) => !longest.includes(f))];
}

/** Runs a suite in a network namespace; nothing that was started in it outlives it. @returns its exit code */
async function inRoom(suite, lane) {
  const name = `praesidor-real-${process.pid}-${lane}`;
  const made = spawnSync('ip', ['netns', 'add', name], { encoding: 'utf8' });
  if (made.status !== 0) fail(`No network namespace can be had here: ${made.stderr.trim()}`);
  const began = Date.now();
  const child = spawn(
    'ip',
    [
      'netns',
      'exec',
      name,
      process.execPath,
      import.meta.filename ?? new URL(import.meta.url).pathname,
      '--inside',
      String(lane),
      suite,
    ],
    { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] },
  );
  const short = basename(suite, '.test.ts');
  for (const stream of [child.stdout, child.stderr])
    createInterface({ input: stream }).on('line', (line) => process.stdout.write(`${short}: ${line}\n`));
  const end = (signal) => child.kill(signal);
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, end);
  const code = await new Promise((done) => child.once('exit', (c) => done(c ?? 1)));
  for (const signal of ['SIGINT', 'SIGTERM']) process.off(signal, end);
  for (const pid of spawnSync('ip', ['netns', 'pids', name], { encoding: 'utf8' }).stdout.split(/\s+/).filter(Boolean))
    spawnSync('kill', ['-9', pid]);
  spawnSync('ip', ['netns', 'del', name]);
  process.stdout.write(`${short}: after ${Math.round((Date.now() - began) / 1000)} s\n`);
  return code;
}

async function within() {
  const [, , , lane, suite] = process.argv;
  spawnSync('ip', ['link', 'set', 'lo', 'up']);
  const scratch = mkdtempSync('/var/tmp/praesidor-real-');
  chmodSync(scratch, 0o755);
  const pg = await startPostgres(join(state, `real-postgres-${lane}`), 54400, { lasting: false });
  createDatabase(pg, 'tests');
  const suites = spawn(
    process.execPath,
    [join(root, 'node_modules/vitest/vitest.mjs'), 'run', '--config', 'vitest.real.config.ts', suite],
    {
      cwd: root,
      stdio: 'inherit',
      env: { ...process.env, TEST_DATABASE_URL: pg.url('tests'), TMPDIR: scratch, PRAESIDOR_REAL: parts },
    },
  );
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => suites.kill('SIGTERM'));
  const code = await new Promise((done) => suites.once('exit', (c) => done(c ?? 1)));
  await pg.stop();
  rmSync(scratch, { recursive: true, force: true });
  process.exit(code);
}
await (inside ? within() : outside());
