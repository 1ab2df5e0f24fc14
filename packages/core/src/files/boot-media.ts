/**
 * A medium that a controller plays to its machine: a CD (ECMA-119 with the names of RRIP) whose boot catalog (El Torito 1.0, platform
 * 0xEF of UEFI 2.10 §13.3.2) leads firmware to a FAT file system with its program, and on which cloud-init finds first-boot data by
 * the volume's name. The program is the last thing on it: the catalog's count of sectors is 16 bits wide, and 0 means “to the end”.
 */
export interface MediaFile {
  name: string;
  content: string;
}
export interface BootMedia {
  /** Everything before the program. */
  head: Uint8Array;
  /** Bytes of zeros behind it. */
  padding: number;
  /** Bytes of the whole medium: `head`, the program, `padding`. */
  size: number;
}

const sector = 2048;
const sectorsFor = (bytes: number) => Math.ceil(bytes / sector);
/** Where the parts of a volume stand, in sectors. */
const place = { volume: 16, boot: 17, end: 18, catalog: 19, tableLittle: 20, tableBig: 21, root: 22, files: 23 };
const volumeName = 'CIDATA';

/**
 * Lays first-boot data and a program of `programSize` bytes out. The same input gives the same bytes.
 * @throws Error when the program has more than 2 GB, or the files do not fit into one directory
 *
 * @example
 * layOutMedia([{ name: 'user-data', content: '#cloud-config\n' }], 250_000_000).size // 250_421_248: a whole number of sectors
 */
export function layOutMedia(files: readonly MediaFile[], programSize: number): BootMedia {
  const boot = layOutFat(programSize);
  const bytes = files.map((f) => new TextEncoder().encode(f.content));
  let at = place.files;
  const placed = files.map((f, n) => {
    const size = (bytes[n] as Uint8Array).length;
    const here = { name: f.name, short: shortName(f.name, n), at, size };
    at += Math.max(1, sectorsFor(size));
    return here;
  });
  const image = { name: 'boot.img', short: 'BOOT.IMG;1', at, size: boot.size };
  const head = new Uint8Array(at * sector + boot.head.length);
  for (const [n, p] of placed.entries()) head.set(bytes[n] as Uint8Array, p.at * sector);
  head.set(boot.head, at * sector);
  const size = (at + sectorsFor(boot.size)) * sector;
  head.set(volume(size / sector), place.volume * sector);
  head.set(bootRecord(), place.boot * sector);
  head.set([255, ...ascii('CD001'), 1], place.end * sector);
  head.set(catalog(at), place.catalog * sector);
  head.set([1, 0, ...little32(place.root), 1, 0, 0, 0], place.tableLittle * sector);
  head.set([1, 0, ...big32(place.root), 0, 1, 0, 0], place.tableBig * sector);
  head.set(directory([...placed, image]), place.root * sector);
  return { head, padding: size - head.length - programSize, size };
}

const ascii = (text: string) => [...text].map((c) => c.charCodeAt(0));
const padded = (text: string, length: number) => ascii(text.padEnd(length));
const little16 = (n: number) => [n & 255, n >>> 8];
const little32 = (n: number) => [n & 255, (n >>> 8) & 255, (n >>> 16) & 255, n >>> 24];
const big32 = (n: number) => little32(n).reverse();
/** A number in both orders, as ECMA-119 7.2.3 and 7.3.3 have it. */
const both16 = (n: number) => [...little16(n), ...little16(n).reverse()];
const both32 = (n: number) => [...little32(n), ...big32(n)];
/** “Not said” (ECMA-119 8.4.26.1). */
const noDate = [...ascii('0'.repeat(16)), 0];

/** A name by the rules of ECMA-119; the true one stands beside it (RRIP). */
const shortName = (name: string, n: number) =>
  `${name
    .replace(/[^a-z]/g, '')
    .slice(0, 7)
    .toUpperCase()}${n}.;1`;

/** Primary volume descriptor (ECMA-119 8.4). */
const volume = (sectors: number): number[] => [
  ...[1, ...ascii('CD001'), 1, 0],
  ...padded('', 32),
  ...padded(volumeName, 32),
  ...Array<number>(8).fill(0),
  ...both32(sectors),
  ...Array<number>(32).fill(0),
  ...both16(1),
  ...both16(1),
  ...both16(sector),
  ...both32(10),
  ...little32(place.tableLittle),
  ...little32(0),
  ...big32(place.tableBig),
  ...big32(0),
  ...record('\0', place.root, sector, true, []),
  ...padded('', 128 * 4 + 37 * 3),
  ...noDate,
  ...noDate,
  ...noDate,
  ...noDate,
  1,
];

/** Boot record volume descriptor (El Torito, figure 7). */
const bootRecord = (): number[] => [
  ...[0, ...ascii('CD001'), 1],
  ...ascii('EL TORITO SPECIFICATION'),
  ...Array<number>(41).fill(0),
  ...little32(place.catalog),
];

/** Boot catalog: validation entry, whose words add up to 0, and the one entry that firmware takes (figures 2 and 3). */
function catalog(image: number): number[] {
  const validation = [1, 0xef, 0, 0, ...padded('Praesidor', 24), 0, 0, 0x55, 0xaa];
  let sum = 0;
  for (let n = 0; n < 32; n += 2) sum += (validation[n] as number) | ((validation[n + 1] as number) << 8);
  const check = little16((0x10000 - (sum & 0xffff)) & 0xffff);
  validation.splice(28, 2, ...check);
  return [...validation, 0x88, 0, 0, 0, 0, 0, ...little16(0), ...little32(image)];
}

/** A directory record (ECMA-119 9.1) with its fields of the system use. */
function record(name: string, at: number, size: number, folder: boolean, system: number[]): number[] {
  const length = 33 + name.length + ((name.length + 1) % 2);
  const whole = length + system.length + (system.length % 2);
  return [
    ...[whole, 0, ...both32(at), ...both32(size)],
    ...[0, 0, 0, 0, 0, 0, 0],
    ...[folder ? 2 : 0, 0, 0, ...both16(1)],
    ...[name.length, ...ascii(name)],
    ...Array<number>(length - 33 - name.length).fill(0),
    ...system,
    ...Array<number>(system.length % 2).fill(0),
  ];
}

/** Owner, links and mode of a file (RRIP 4.1.1). */
const modeOf = (mode: number, links: number) => [
  ...ascii('PX'),
  ...[36, 1],
  ...both32(mode),
  ...both32(links),
  ...both32(0),
  ...both32(0),
];
const folderMode = modeOf(0o040555, 2);
/** Only root reads what has keys in it. */
const fileMode = modeOf(0o100400, 1);
const trueName = (name: string) => [...ascii('NM'), 5 + name.length, 1, 0, ...ascii(name)];
/** That the fields of the system use are there, and whose they are (SUSP 5.3 and 5.5). */
const sharing = [...ascii('SP'), 7, 1, 0xbe, 0xef, 0];
const extension = [...ascii('ER'), 18, 1, 10, 0, 0, 1, ...ascii('RRIP_1991A')];

function directory(files: readonly { name: string; short: string; at: number; size: number }[]): number[] {
  const out = [
    ...record('\0', place.root, sector, true, [...sharing, ...folderMode, ...extension]),
    ...record('\x01', place.root, sector, true, folderMode),
    ...[...files]
      .sort((a, b) => (a.short < b.short ? -1 : 1))
      .flatMap((f) => record(f.short, f.at, f.size, false, [...fileMode, ...trueName(f.name)])),
  ];
  if (out.length > sector) throw new Error(`${files.length} files do not fit into the directory of a medium`);
  return out;
}

const fatSector = 512;
const rootEntries = 512;

/** A FAT16 file system (ECMA-107) with one file, EFI/BOOT/BOOTX64.EFI, whose bytes follow `head`. */
function layOutFat(programSize: number): { head: Uint8Array; size: number } {
  let perCluster = 1;
  while (Math.ceil(programSize / (perCluster * fatSector)) + 2 > 65_500) perCluster *= 2;
  if (perCluster > 64) throw new Error(`a program of ${programSize} bytes is larger than a boot medium takes`);
  const ofProgram = Math.ceil(programSize / (perCluster * fatSector));
  // Fewer clusters would be FAT12 by definition.
  const clusters = Math.max(4100, ofProgram + 2);
  const tableSectors = Math.ceil(((clusters + 2) * 2) / fatSector);
  const dataAt = 1 + 2 * tableSectors + (rootEntries * 32) / fatSector;
  const total = dataAt + clusters * perCluster;
  const head = new Uint8Array((dataAt + 2 * perCluster) * fatSector);
  head.set([
    ...[0xeb, 0x3c, 0x90, ...padded('PRAESIDR', 8), ...little16(fatSector), perCluster, ...little16(1), 2],
    ...[...little16(rootEntries), ...little16(total < 0x10000 ? total : 0), 0xf8, ...little16(tableSectors)],
    ...[...little16(32), ...little16(64), ...little32(0), ...little32(total < 0x10000 ? 0 : total)],
    ...[0x80, 0, 0x29, ...little32(0x50524145), ...padded('BOOT', 11), ...padded('FAT16', 8)],
  ]);
  head.set([0x55, 0xaa], fatSector - 2);

  const table = new DataView(new ArrayBuffer(tableSectors * fatSector));
  for (const [n, value] of [0xfff8, 0xffff, 0xffff, 0xffff].entries()) table.setUint16(2 * n, value, true);
  for (let n = 0; n < ofProgram; n++) table.setUint16(2 * (n + 4), n + 1 === ofProgram ? 0xffff : n + 5, true);
  for (const copy of [0, 1]) head.set(new Uint8Array(table.buffer), (1 + copy * tableSectors) * fatSector);

  const at = (cluster: number) => (dataAt + (cluster - 2) * perCluster) * fatSector;
  head.set([...entry('BOOT', 0x08, 0, 0), ...entry('EFI', 0x10, 2, 0)], (1 + 2 * tableSectors) * fatSector);
  head.set([...entry('.', 0x10, 2, 0), ...entry('..', 0x10, 0, 0), ...entry('BOOT', 0x10, 3, 0)], at(2));
  head.set([...entry('.', 0x10, 3, 0), ...entry('..', 0x10, 2, 0), ...entry('BOOTX64 EFI', 0x20, 4, programSize)], at(3));
  return { head, size: total * fatSector };
}

/** A directory entry of 32 bytes; 0x21 is the first day that it can tell. */
const entry = (name: string, attributes: number, cluster: number, size: number): number[] => [
  ...[...padded(name, 11), attributes, 0, 0, 0, 0, ...little16(0x21), ...little16(0x21), 0, 0],
  ...[0, 0, ...little16(0x21), ...little16(cluster), ...little32(size)],
];
