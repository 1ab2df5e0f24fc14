import { spawn } from 'node:child_process';
import { realpathSync } from 'node:fs';
import { mkdir, mkdtemp, readdir, rm, stat, writeFile } from 'node:fs/promises';
import { createServer, type Server, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { bundled } from '../bundle.ts';

/**
 * A program in namespaces of its own (user, mount, pid, network, IPC): the system's programs and libraries to read, a few megabytes of its own, no capability, no
 * process of anybody else, and one way out, which the caller gives it. It takes util-linux and iproute2, and a kernel that gives user namespaces.
 */
export interface Confined {
  program: string;
  args: readonly string[];
  kubeconfig: string;
  /** A connection to the one thing that it reaches, at 127.0.0.1:6443. */
  reach: () => Promise<Socket>;
  /** Ended when this is. */
  signal: AbortSignal;
  seconds: number;
  /** Of both outputs together. */
  bytes: number;
  said: (which: 'out' | 'err', text: string) => void;
}
export interface Ran {
  /** What it ended with; null: it was ended. */
  code: number | null;
  /** Why it was ended. */
  cut?: 'time' | 'output' | 'left';
}
/** It could not be begun here at all. */
export class NotHere extends Error {}

const rooms = 'praesidor-shell-';
/** Rooms that a server left behind which was killed: with certificates that have ended by now. */
export async function clearRooms(olderThanMs = 3_600_000): Promise<void> {
  for (const name of (await readdir(tmpdir())).filter((f) => f.startsWith(rooms))) {
    const path = join(tmpdir(), name);
    const { mtimeMs } = await stat(path).catch(() => ({ mtimeMs: Date.now() }));
    if (mtimeMs < Date.now() - olderThanMs) await rm(path, { recursive: true, force: true });
  }
}

/** Where a program is, as the system finds it; undefined: nowhere. */
export function programAt(name: string): string | undefined {
  for (const dir of (process.env.PATH ?? '').split(delimiter))
    try {
      return realpathSync(join(dir, name));
    } catch {
      // Not there.
    }
  return undefined;
}

/** Makes the room, goes in, gives every right away, and runs what is inside. Its variables come from the caller alone. */
const enter = `set -eu
ip link set lo up
r=$room/root
mount -t tmpfs -o size=1m,mode=755,nosuid,nodev tmpfs "$r"
for d in usr lib lib64 bin; do
  [ -e "/$d" ] || continue
  mkdir "$r/$d"
  mount --bind "/$d" "$r/$d"
  mount -o remount,bind,ro,nosuid,nodev "$r/$d"
done
mkdir "$r/run" "$r/dev" "$r/tmp"
give() { touch "$r/$2"; mount --bind "$1" "$r/$2"; }
give /dev/null dev/null
for f in api.sock kubeconfig args.json inside.mjs; do give "$room/$f" "run/$f"; done
give "$node" run/node
give "$program" run/program
mount -t tmpfs -o size=16m,mode=700,nosuid,nodev,noexec tmpfs "$r/tmp"
mount -o remount,ro "$r"
cd "$r"
exec chroot "$r" /usr/bin/setpriv --no-new-privs --bounding-set=-all --inh-caps=-all --ambient-caps=-all /usr/bin/prlimit --core=0 --nofile=256 --fsize=16777216 /run/node /run/inside.mjs
`;
const apart = ['--user', '--map-root-user', '--net', '--mount', '--pid', '--ipc', '--uts', '--fork', '--kill-child'];

/** Runs a program confined, until its end or one of its limits. @throws NotHere where nothing can be confined */
export async function confined(c: Confined): Promise<Ran> {
  const room = await mkdtemp(join(tmpdir(), rooms));
  let way: Server | undefined;
  const open = new Set<Socket>();
  try {
    await Promise.all([
      mkdir(join(room, 'root')),
      writeFile(join(room, 'kubeconfig'), c.kubeconfig, { mode: 0o600 }),
      writeFile(join(room, 'args.json'), JSON.stringify(c.args), { mode: 0o600 }),
      bundled(join(import.meta.dirname, 'inside.ts'), 'esm').then((text) => writeFile(join(room, 'inside.mjs'), text)),
    ]);
    way = await wayOut(join(room, 'api.sock'), c.reach, open);
    return await run(c, room);
  } finally {
    way?.close();
    for (const s of open) s.destroy();
    await rm(room, { recursive: true, force: true });
  }
}

/** Listens at a socket, and connects whoever comes to what is reached. */
function wayOut(path: string, reach: () => Promise<Socket>, open: Set<Socket>): Promise<Server> {
  const server = createServer((from) => {
    open.add(from);
    from.on('error', () => from.destroy());
    from.once('close', () => open.delete(from));
    reach().then(
      (to) => {
        open.add(to);
        to.on('error', () => from.destroy());
        to.once('close', () => open.delete(to));
        from.once('close', () => to.destroy());
        // What it has said until then is still on its way.
        to.once('close', () => from.end());
        from.pipe(to).pipe(from);
      },
      () => from.destroy(),
    );
  });
  return new Promise((done, fail) => {
    server.once('error', fail);
    server.listen(path, () => done(server));
  });
}

function run(c: Confined, room: string): Promise<Ran> {
  return new Promise((done, fail) => {
    const child = spawn('setpriv', ['--pdeathsig', 'KILL', 'unshare', ...apart, 'sh', '-c', enter], {
      env: { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', room, node: process.execPath, program: c.program },
      stdio: ['ignore', 'pipe', 'pipe', 'pipe'],
    });
    let begun = false;
    let cut: Ran['cut'];
    let left = c.bytes;
    let before = '';
    const end = (why: NonNullable<Ran['cut']>) => {
      cut ??= why;
      // With its first process everything inside ends.
      child.kill('SIGKILL');
    };
    const timer = setTimeout(() => end('time'), c.seconds * 1000);
    const leave = () => end('left');
    if (c.signal.aborted) leave();
    c.signal.addEventListener('abort', leave);
    child.stdio[3]?.on('data', () => {
      begun = true;
    });
    const listen = (which: 'out' | 'err') => (chunk: Buffer) => {
      if (!begun && which === 'err') before += chunk.toString();
      if (cut) return;
      const fits = chunk.subarray(0, left);
      left -= chunk.length;
      c.said(which, fits.toString());
      if (left < 0) end('output');
    };
    child.stdout?.on('data', listen('out'));
    child.stderr?.on('data', listen('err'));
    child.once('error', (e) => settle(() => fail(new NotHere(e.message))));
    child.once('close', (code) =>
      settle(() =>
        begun || cut ? done({ code: cut ? null : code, ...(cut ? { cut } : {}) }) : fail(new NotHere(before.trim())),
      ),
    );
    function settle(act: () => void) {
      clearTimeout(timer);
      c.signal.removeEventListener('abort', leave);
      act();
    }
  });
}
