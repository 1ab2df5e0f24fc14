import { closeSync, openSync, readSync, statSync, writeSync } from 'node:fs';

const hex = (n) => n.toString(16).padStart(8, '0');
const zeros = (length) => Buffer.alloc((4 - (length % 4)) % 4);

/**
 * Writes an initial file system (newc; kernel documentation, "initramfs buffer format"): files in their order, owned by root,
 * of one time, so that the same files give the same bytes. A file has a body, or is copied `from` a path; without either it is a folder.
 */
export function writeInitialFiles(path, files) {
  const out = openSync(path, 'w');
  const put = (name, mode, length, number) => {
    const head = Buffer.from(
      `070701${[number, mode, 0, 0, 1, 0, length, 0, 0, 0, 0, name.length + 1, 0].map(hex).join('')}${name}\0`,
    );
    writeSync(out, Buffer.concat([head, zeros(head.length)]));
  };
  for (const [n, f] of files.entries()) {
    const body = f.body === undefined ? undefined : Buffer.from(f.body);
    const length = f.from ? statSync(f.from).size : (body?.length ?? 0);
    put(f.path, (f.from || body ? 0o100000 : 0o040000) | f.mode, length, n + 1);
    if (body) writeSync(out, body);
    if (f.from) {
      const input = openSync(f.from, 'r');
      const piece = Buffer.alloc(1 << 20);
      for (let read = readSync(input, piece); read > 0; read = readSync(input, piece)) writeSync(out, piece, 0, read);
      closeSync(input);
    }
    writeSync(out, zeros(length));
  }
  put('TRAILER!!!', 0, 0, 0);
  closeSync(out);
}
