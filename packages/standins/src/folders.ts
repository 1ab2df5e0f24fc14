import { execFileSync, spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import type { Disk } from './disks.ts';
import type { Ran } from './login.ts';
import type { Machine } from './machine.ts';
import type { Installed } from './node.ts';

/** Where the files of a machine lie here. */
export const filesOf = (m: Machine): string => join(m.around.folders, m.hardware.name);
/** Where a folder of a machine lies here, with real files in it. */
const folderOf = (m: Machine, path: string): string => join(filesOf(m), path);
const mounts = '/var/lib/kubelet/plugins/kubernetes.io/csi/';
/** A disk is erased: what containers and volumes had on it is gone with it. They lie on a disk of their own, or on that of the system. */
export function forgets(m: Machine, disk: Disk): void {
  const holds = (d: Disk, use: string) => d.systems.some((s) => s.files.label === use);
  if (holds(disk, 'containers') || (holds(disk, 'system') && ![...m.disks.values()].some((d) => holds(d, 'containers'))))
    rmSync(filesOf(m), { recursive: true, force: true });
}
/** Folders that a machine makes at its start (tmpfiles.d(5)). */
const made = (me: Installed): string[] =>
  Object.entries(me.files).flatMap(([name, text]) =>
    name.startsWith('/etc/tmpfiles.d/') ? [...text.matchAll(/^d (\S+)/gm)].map(([, path = '']) => path) : [],
  );

/** A program of a machine writes a file, and is told when it is on the disk. @throws Error where there is no such folder */
export function writeOn(m: Machine, me: Installed, folder: string, name: string, bytes: Buffer): void {
  if (!made(me).includes(folder)) throw new Error(`${m.hardware.name} has no folder ${folder}`);
  const path = folderOf(m, join(folder, name));
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, bytes);
}

/** A program of a pod writes a file to a volume that is mounted, and is told when it is on all copies that can be reached. @throws Error where it is told that it could not */
export function writeMounted(m: Machine, path: string, name: string, bytes: Buffer): void {
  const mounted = m.around.cluster.mounted(m, path);
  const stage = mounted?.folder && staged(mounted.folder);
  if (!stage) throw new Error(`${m.hardware.name}: ${path}: Input/output error`);
  try {
    const file = join(stage, name);
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, bytes);
    if (!mounted.put(stage)) throw new Error(`${m.hardware.name}: ${path}: Input/output error`);
  } finally {
    rmSync(stage, { recursive: true, force: true });
  }
}
/** What a volume has, to be written to: it is at no copy yet. */
function staged(folder: string): string {
  const stage = mkdtempSync(join(tmpdir(), 'mounted-'));
  execFileSync('cp', ['-a', `${folder}/.`, stage]);
  return stage;
}

/** The folder that stands for a path of a volume; otherwise how the program of the kit ends, where it looks. */
function foundFolder(
  m: Machine,
  me: Installed,
  script: string,
  path: string,
): { folder: string; put?: (from: string) => boolean } | Ran {
  const looks = /^ *case "\$1" in \/.*exit 65 ;; esac$/m.test(script) && /^ *path_of_a_volume "\$path"$/m.test(script);
  if (path.includes('..') || !looks || !['/var/lib/containerd/volumes/', mounts].some((p) => path.startsWith(p)))
    return { code: 65, lines: [], errors: 'that is no path of a volume' };
  if (path.startsWith(mounts)) {
    const mounted = m.around.cluster.mounted(m, path);
    if (!mounted) return { code: 66, lines: [], errors: `there is no ${path} here` };
    if (!mounted.folder) return { code: 74, lines: [], errors: `${path}: Input/output error` };
    return { folder: mounted.folder, put: mounted.put };
  }
  const folder = folderOf(m, path);
  if (made(me).includes(path)) mkdirSync(folder, { recursive: true });
  return existsSync(folder) ? { folder } : { code: 66, lines: [], errors: `there is no ${path} here` };
}

/** What the program of its kit writes in place of what a volume has: its own lines are run, on the folder that stands for the path. */
export async function writeVolume(m: Machine, me: Installed, script: string, path: string, archive: Buffer): Promise<Ran> {
  const found = foundFolder(m, me, script, path);
  if ('code' in found) return found;
  const lines = /^ *(find "\$path".*)\n *(tar --extract.*--directory "\$path".*)$/m.exec(script);
  if (!lines) return { code: 2, lines: [], errors: 'sh: syntax error' };
  const folder = found.put ? staged(found.folder) : found.folder;
  try {
    const sh = spawn('sh', ['-c', `set -eu\n${lines[1]}\n${lines[2]}`], {
      env: { PATH: process.env.PATH, path: folder },
      stdio: ['pipe', 'ignore', 'pipe'],
    });
    let errors = '';
    sh.stderr.on('data', (piece: Buffer) => {
      errors += piece.toString();
    });
    sh.stdin.on('error', () => undefined);
    sh.stdin.end(archive);
    const code = await new Promise<number>((done) => sh.once('close', (c) => done(c ?? 1)));
    if (found.put && !found.put(folder)) return { code: 74, lines: [], errors: `${path}: Input/output error` };
    return { code, lines: [], ...(errors ? { errors: errors.trim() } : {}) };
  } finally {
    if (found.put) rmSync(folder, { recursive: true, force: true });
  }
}

/** What the program of its kit reads out: its own line of tar is run, on the folder that stands for the path. */
export async function readVolume(m: Machine, me: Installed, script: string, asked: string, wanted: string): Promise<Ran> {
  const [verb, path = ''] = asked.trim().split(' ');
  const found = foundFolder(m, me, script, path);
  if ('code' in found) return found;
  const { folder } = found;
  const archive = /^ *archive\(\) \{\n([\s\S]*?)\n *\}$/m.exec(script)?.[1];
  const size = Number(/split --bytes=(\d+)/.exec(script)?.[1]);
  if (!archive || !size) return { code: 2, lines: [], errors: 'sh: syntax error' };
  const temporary = mkdtempSync(join(tmpdir(), 'read-'));
  try {
    const sh = spawn('sh', ['-c', archive], {
      env: { PATH: process.env.PATH, path: folder, new: temporary },
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    const pieces: Buffer[] = [];
    for await (const p of sh.stdout) pieces.push(p as Buffer);
    const all = Buffer.concat(pieces);
    if (existsSync(join(temporary, 'broken'))) return { code: 74, lines: [], errors: `${path} could not be read whole` };
    if (verb === 'all') return { code: 0, lines: [], bytes: all };
    const blocks = Array.from({ length: Math.ceil(all.length / size) }, (_, n) => all.subarray(n * size, (n + 1) * size));
    if (verb === 'list')
      return { code: 0, lines: blocks.map((b) => `block ${b.length} ${createHash('sha256').update(b).digest('hex')}`) };
    if (verb !== 'read') return { code: 64, lines: [], errors: 'that is not something this program does' };
    const names = new Set(wanted.split('\n'));
    return { code: 0, lines: [], bytes: Buffer.concat(blocks.filter((_, n) => names.has(`x${String(n).padStart(8, '0')}`))) };
  } finally {
    rmSync(temporary, { recursive: true, force: true });
  }
}
