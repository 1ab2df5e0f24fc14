import { ask } from './ask.ts';

/**
 * A drive that a controller plays, as firmware and cloud-init read what lies in it: El Torito 1.0 with platform 0xEF (UEFI 2.10 §13.3.2),
 * FAT (ECMA-107), ECMA-119 with the names of RRIP. It reads in parts over HTTP, as controllers do.
 */
export type ReadPart = (from: number, to: number) => Promise<Buffer>;

/** @throws Error as a controller would say it */
export async function httpDrive(uri: string, signal: AbortSignal, trust: readonly string[] | 'anybody' = []): Promise<ReadPart> {
  const asked = await ask(uri, { method: 'HEAD', signal, trust });
  const length = Number(asked.headers.get('content-length') ?? Number.NaN);
  if (!asked.ok || !(length > 0)) throw new Error(`the image cannot be opened: ${asked.status}`);
  if (asked.headers.get('accept-ranges') !== 'bytes') throw new Error('the image cannot be read in parts');
  return async (from, to) => {
    const r = await ask(uri, { headers: { range: `bytes=${from}-${Math.min(to, length) - 1}` }, signal, trust });
    const part = Buffer.from(await r.arrayBuffer());
    if (r.status !== 206 || part.length !== Math.min(to, length) - from)
      throw new Error(`the image cannot be read: ${r.status}, ${part.length} of ${to - from} bytes`);
    return part;
  };
}

const sector = 2048;
const sectors = (read: ReadPart, at: number, count = 1) => read(at * sector, (at + count) * sector);

/** The program that firmware starts from a medium. @throws Error as firmware would refuse it */
export async function programOn(read: ReadPart): Promise<Buffer> {
  const record = await sectors(read, 17);
  if (record[0] !== 0 || !record.toString('latin1', 1).startsWith('CD001\x01EL TORITO SPECIFICATION\0'))
    throw new Error('nothing on it can be started: it has no boot record');
  const catalog = await sectors(read, record.readUInt32LE(0x47));
  const words = Array.from({ length: 16 }, (_, n) => catalog.readUInt16LE(2 * n));
  if (catalog[0] !== 1 || catalog.readUInt16LE(30) !== 0xaa55 || words.reduce((a, b) => a + b) & 0xffff)
    throw new Error('its boot catalog is damaged');
  if (catalog[1] !== 0xef || catalog[32] !== 0x88 || (catalog[33] as number) & 15)
    throw new Error('its boot catalog has nothing for this firmware');
  const image = catalog.readUInt32LE(40) * sector;
  // Sectors of 512 bytes; 0 and 1 mean everything up to the end.
  const count = catalog.readUInt16LE(38);
  return fileOfFat(
    (from, to) => {
      if (count > 1 && to > count * 512) throw new Error('the file system leaves its boot image');
      return read(image + from, image + to);
    },
    ['EFI        ', 'BOOT       ', 'BOOTX64 EFI'],
  );
}

/** A file of a FAT16 or FAT32 file system, by the names of its folders. */
async function fileOfFat(read: ReadPart, path: readonly string[]): Promise<Buffer> {
  const b = await read(0, 512);
  if (b.readUInt16LE(510) !== 0xaa55) throw new Error('its boot image is no file system');
  const bytes = b.readUInt16LE(11);
  const cluster = bytes * (b[13] as number);
  const reserved = b.readUInt16LE(14);
  const roots = b.readUInt16LE(17);
  const table = b.readUInt16LE(22) || b.readUInt32LE(36);
  const total = b.readUInt16LE(19) || b.readUInt32LE(32);
  const data = (reserved + (b[16] as number) * table) * bytes + roots * 32;
  const clusters = Math.floor((total * bytes - data) / cluster);
  if (clusters < 4085) throw new Error('its boot image is FAT12, which this firmware does not read');
  const wide = clusters >= 65525;
  const fat = await read(reserved * bytes, (reserved + table) * bytes);
  const next = (n: number) => (wide ? fat.readUInt32LE(4 * n) & 0xfffffff : fat.readUInt16LE(2 * n));
  const chain = async (first: number, size?: number): Promise<Buffer> => {
    const parts: Buffer[] = [];
    for (let n = first; n >= 2 && n < (wide ? 0xffffff8 : 0xfff8); ) {
      // Clusters that follow one another are read at once.
      let last = n;
      while (next(last) === last + 1) last++;
      parts.push(await read(data + (n - 2) * cluster, data + (last - 1) * cluster));
      n = next(last);
      if (parts.length > clusters) throw new Error('its boot image has a chain without an end');
    }
    const whole = Buffer.concat(parts);
    if (size !== undefined && whole.length < size) throw new Error('a file of its boot image is cut short');
    return size === undefined ? whole : whole.subarray(0, size);
  };
  let folder = wide ? await chain(b.readUInt32LE(44)) : await read((reserved + (b[16] as number) * table) * bytes, data);
  for (const [depth, name] of path.entries()) {
    const at = Array.from({ length: folder.length / 32 }, (_, n) => 32 * n).find(
      (n) => folder.toString('latin1', n, n + 11) === name && !((folder[n + 11] as number) & 8),
    );
    if (at === undefined) throw new Error(`its boot image has no ${name.trim()}`);
    const first = folder.readUInt16LE(at + 26) | (folder.readUInt16LE(at + 20) << 16);
    folder = await chain(first, depth === path.length - 1 ? folder.readUInt32LE(at + 28) : undefined);
  }
  return folder;
}

/** Files at the root of a medium by their true names, where its volume has the name that cloud-init looks for; undefined: it has not. */
export async function dataOn(read: ReadPart): Promise<Record<string, string> | undefined> {
  const v = await sectors(read, 16);
  if (v[0] !== 1 || v.toString('latin1', 1, 6) !== 'CD001') return undefined;
  if (v.toString('latin1', 40, 72).trim().toLowerCase() !== 'cidata') return undefined;
  const root = await read(v.readUInt32LE(158) * sector, v.readUInt32LE(158) * sector + v.readUInt32LE(166));
  const out: Record<string, string> = {};
  for (let at = 0; at < root.length; ) {
    const length = root[at] as number;
    if (!length) {
      at = (Math.floor(at / sector) + 1) * sector;
      continue;
    }
    const r = root.subarray(at, at + length);
    at += length;
    if ((r[25] as number) & 2) continue;
    const name = trueName(r);
    const from = r.readUInt32LE(2) * sector;
    const size = r.readUInt32LE(10);
    // Its first-boot data, and not the image that firmware started from.
    if (name && size < 4_000_000 && /^[a-z]+-[a-z]+$/.test(name)) out[name] = (await read(from, from + size)).toString('utf8');
  }
  return out;
}

/** The name that RRIP gives to a directory record (NM), without which only eight letters of it are known. */
function trueName(record: Buffer): string | undefined {
  const named = 33 + (record[32] as number);
  for (let at = named + (named % 2); at + 4 <= record.length; ) {
    const length = record[at + 2] as number;
    if (length < 4) return undefined;
    if (record.toString('latin1', at, at + 2) === 'NM') return record.toString('utf8', at + 5, at + length);
    at += length;
  }
  return undefined;
}
