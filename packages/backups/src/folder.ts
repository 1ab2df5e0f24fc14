import { randomBytes } from 'node:crypto';
import { access, link, mkdir, open, readdir, readFile, rename, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { BlockStore, Stored } from './store.ts';

/** What a folder says when it cannot: full is told from the rest. */
function faultOf(e: unknown, title: string): ProtocolError {
  const { code, message } = e as NodeJS.ErrnoException;
  if (code === 'ENOENT') return new ProtocolError('missing', title, 'it is not there');
  if (code === 'ENOSPC' || code === 'EDQUOT') return new ProtocolError('full', title, 'it has no room left');
  if (code === 'EACCES' || code === 'EPERM' || code === 'EROFS')
    return new ProtocolError('credentials', title, `it may not be written to: ${message}`);
  if (code === 'ESTALE' || code === 'EIO' || code === 'ETIMEDOUT') return new ProtocolError('silent', title, message);
  return new ProtocolError('answer', title, message);
}

/** Backups in a folder, such as an NFS export that is mounted there. A file is written beside its place, and takes it when it is on the disk. */
export function folderStore(root: string, title = root): BlockStore {
  const at = (name: string) => {
    const path = join(root, name);
    if (!path.startsWith(`${root}/`)) throw new ProtocolError('answer', title, `${name} lies outside of it`);
    return path;
  };
  const fails = (e: unknown): never => {
    throw faultOf(e, title);
  };
  return {
    title,
    put: async (name, bytes, _signal, unless) => {
      const path = at(name);
      const beside = join(root, `.new-${randomBytes(8).toString('hex')}`);
      try {
        await mkdir(dirname(path), { recursive: true });
        const file = await open(beside, 'wx');
        try {
          await file.writeFile(bytes);
          await file.sync();
        } finally {
          await file.close();
        }
        if (unless === 'there') {
          // A second name is given to a file only where none of that name is: of two who come at once, one is told.
          await link(beside, path);
          await rm(beside, { force: true });
        } else await rename(beside, path);
      } catch (e) {
        await rm(beside, { force: true }).catch(() => undefined);
        if (unless === 'there' && (e as NodeJS.ErrnoException).code === 'EEXIST') return false;
        fails(e);
      }
      return true;
    },
    get: (name) => readFile(at(name)).catch(fails),
    has: (name) =>
      access(at(name)).then(
        () => true,
        (e: NodeJS.ErrnoException) => (e.code === 'ENOENT' ? false : fails(e)),
      ),
    list: async function* (prefix): AsyncGenerator<Stored> {
      const folder = prefix.slice(0, prefix.lastIndexOf('/') + 1);
      const entries = await readdir(folder ? at(folder) : root, { withFileTypes: true, recursive: true }).catch(
        (e: NodeJS.ErrnoException) => (e.code === 'ENOENT' ? [] : fails(e)),
      );
      for (const e of entries) {
        if (!e.isFile()) continue;
        const name = join(e.parentPath, e.name).slice(root.length + 1);
        if (!name.startsWith(prefix) || name.startsWith('.new-')) continue;
        const s = await stat(at(name)).catch((x: NodeJS.ErrnoException) => (x.code === 'ENOENT' ? undefined : fails(x)));
        if (s) yield { name, bytes: s.size, at: s.mtimeMs };
      }
    },
    remove: async (names) => {
      for (const n of names) await rm(at(n), { force: true }).catch(fails);
    },
  };
}
