/** What lies on the disks of a machine, and what of it is where (systemd.mount(5), the kit's own table). It outlasts a power cut. */
export interface FileSystem {
  uuid: string;
  files: Record<string, string>;
  /** Images that a runtime keeps here, each with its layers. */
  images: string[];
}
/** A disk: its table of partitions, and the file systems on them. What somebody else left is a text. */
export interface Disk {
  table: string;
  systems: FileSystem[];
  /** What firmware finds on it: an EFI program's command line, and cloud-init its first-boot data. */
  start?: { cmdline: string; data: Record<string, string>; trust: string[] };
}

interface Row {
  use: string;
  serial: string;
  wwn: string;
  table: string;
  files: string;
  bay: string;
}
const plain = (text: string) => text.toLowerCase().replace(/[^a-z0-9]/g, '');

export const rowsOf = (files: Record<string, string>): Row[] =>
  (files['/etc/praesidor/disks'] ?? '')
    .split('\n')
    .filter(Boolean)
    .map((line) => {
      const [use = '', serial = '', wwn = '', table = '', system = '', ...bay] = line.split(' ');
      return { use, serial, wwn, table, files: system, bay: bay.join(' ') };
    });

/** A disk holds something of somebody else. */
export class NotEmpty extends Error {}

/**
 * Finds each disk by its serial, and lays it out where that may be done. @throws Error as the script would say it
 * @returns what it erased and laid out, in words
 */
export function layOut(
  disks: Map<string, Disk>,
  serials: readonly string[],
  files: Record<string, string>,
  may: { layOut: boolean; erase: boolean },
  erased: (disk: Disk) => void = () => undefined,
): string[] {
  const said: string[] = [];
  for (const row of rowsOf(files)) {
    const found = serials.filter((s) => plain(s) === row.serial);
    if (found.length !== 1)
      throw new Error(`no disk has the serial ${row.serial} or the WWN ${row.wwn} of ${row.bay} (${row.use})`);
    const serial = found[0] as string;
    const there = disks.get(serial);
    if (there?.table !== row.table) {
      if (!may.layOut) throw new Error(`${row.bay} (${row.use}) holds another table of partitions`);
      const held = there ? `gpt, ${there.systems.map((s) => s.files.label ?? 'ext4').join(', ')}` : '';
      if (held && !may.erase) throw new NotEmpty(`${row.bay} (${row.use}) is not empty, it holds ${held}`);
      if (there) erased(there);
      if (held) said.push(`${row.bay} (${row.use}) is erased: ${held}`);
      disks.set(serial, { table: row.table, systems: [{ uuid: row.files, files: { label: row.use }, images: [] }] });
    }
    said.push(`${row.bay} (${row.use}): ${serial}`);
  }
  return said;
}

/** The file system that a path lies on, through what is mounted and bound; undefined: it lies in memory. */
export function fileSystemAt(disks: Map<string, Disk>, files: Record<string, string>, path: string): FileSystem | undefined {
  const mounts = Object.entries(files)
    .filter(([name]) => name.startsWith('/etc/systemd/system/') && name.endsWith('.mount'))
    .map(([name, text]) => {
      const value = (key: string) => new RegExp(`^${key}=(.*)$`, 'm').exec(text)?.[1] ?? '';
      // The name of the unit is the path; another one is refused (systemd.mount(5)).
      const named = `/${name
        .split('/')
        .at(-1)
        ?.replace(/\.mount$/, '')
        .replaceAll('-', '/')}`;
      return { what: value('What'), where: value('Where'), good: named === value('Where') };
    })
    .filter((m) => m.good && (path === m.where || path.startsWith(`${m.where}/`)))
    .sort((a, b) => b.where.length - a.where.length);
  const [mount] = mounts;
  if (!mount) return undefined;
  const uuid = /^\/dev\/disk\/by-uuid\/(\S+)$/.exec(mount.what)?.[1];
  if (uuid) return [...disks.values()].flatMap((d) => d.systems).find((s) => s.uuid === uuid);
  return mount.what === path ? undefined : fileSystemAt(disks, files, mount.what);
}
