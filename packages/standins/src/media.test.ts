import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { layOutMedia } from '@praesidor/core/files';
import { afterAll, describe, expect, it } from 'vitest';
import { dataOn, programOn, type ReadPart } from './media.ts';

const dir = mkdtempSync(join(tmpdir(), 'praesidor-drive-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));
const drive =
  (bytes: Buffer): ReadPart =>
  async (from, to) =>
    bytes.subarray(from, to);
const run = (command: string, ...args: string[]) => {
  const r = spawnSync(command, args, { encoding: 'utf8', cwd: dir });
  if (r.status !== 0) throw new Error(`${command}: ${r.stdout}${r.stderr}`);
};
const program = Buffer.from(Array.from({ length: 90_001 }, (_, n) => (n * 11) & 255));

/** A medium made by programs that are not ours: mkfs.vfat and mtools for what firmware reads, xorriso for the rest. */
function made({ label = 'cidata', bits = 16, names = true, size = 20_000_000 } = {}): Buffer {
  const image = join(dir, 'efi.img');
  rmSync(image, { force: true });
  writeFileSync(image, '');
  truncateSync(image, size);
  run('/sbin/mkfs.vfat', '-F', String(bits), '-s', '1', image);
  writeFileSync(join(dir, 'program'), program);
  run('mmd', '-i', image, '::EFI', '::EFI/BOOT');
  run('mcopy', '-i', image, join(dir, 'program'), '::EFI/BOOT/BOOTX64.EFI');
  const folder = join(dir, 'folder');
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder);
  writeFileSync(join(folder, 'user-data'), '#cloud-config\n');
  writeFileSync(join(folder, 'network-config'), 'network:\n');
  rmSync(join(dir, 'm.iso'), { force: true });
  run(
    'xorriso',
    ...['-as', 'mkisofs', '-quiet', ...(names ? ['-R'] : ['--norock']), '-V', label, '-append_partition', '2', '0xef', image],
    ...['-e', '--interval:appended_partition_2:all::', '-no-emul-boot', '-o', join(dir, 'm.iso'), folder],
  );
  return readFileSync(join(dir, 'm.iso'));
}

describe.runIf(existsSync('/usr/bin/xorriso') && existsSync('/sbin/mkfs.vfat') && existsSync('/usr/bin/mcopy'))('a drive', () => {
  it.each([
    [16, 20_000_000],
    [32, 40_000_000],
  ])('starts the program of a medium that other programs made, with FAT%i', async (bits, size) => {
    const read = drive(made({ bits, size }));
    expect((await programOn(read)).equals(program)).toBe(true);
    expect(await dataOn(read)).toEqual({ 'user-data': '#cloud-config\n', 'network-config': 'network:\n' });
  });

  it('has no first-boot data under another name of its volume, and none without true names', async () => {
    expect(await dataOn(drive(made({ label: 'OTHER' })))).toBeUndefined();
    expect(await dataOn(drive(made({ names: false })))).toEqual({});
  });
});

describe('a drive with a damaged medium', () => {
  const laid = layOutMedia([{ name: 'user-data', content: 'x' }], program.length);
  const good = Buffer.concat([laid.head, program, Buffer.alloc(laid.padding)]);
  const image = good.readUInt32LE(19 * 2048 + 40) * 2048;
  const broken = (change: (b: Buffer) => void) => {
    const b = Buffer.from(good);
    change(b);
    return programOn(drive(b));
  };
  it('starts it while it is whole', async () => {
    expect((await programOn(drive(good))).equals(program)).toBe(true);
  });
  it.each<[string, (b: Buffer) => void, string]>([
    ['no boot record', (b) => b.write('CD002', 17 * 2048 + 1), 'no boot record'],
    ['a sum that does not come out', (b) => b.writeUInt8(1, 19 * 2048 + 5), 'catalog is damaged'],
    ['an entry that is not for starting', (b) => b.writeUInt8(0, 19 * 2048 + 32), 'nothing for this firmware'],
    ['fewer sectors than its file system has', (b) => b.writeUInt16LE(8, 19 * 2048 + 38), 'leaves its boot image'],
    ['no file system', (b) => b.writeUInt16LE(0, image + 510), 'no file system'],
    ['another name of its program', (b) => b.write('OTHERX64EFI', image + 68 * 512 + 64), 'no BOOTX64 EFI'],
    ['a chain that ends early', (b) => b.writeUInt16LE(0xffff, image + 512 + 2 * 20), 'cut short'],
    ['a chain that leads back', (b) => b.writeUInt16LE(4, image + 512 + 2 * 20), 'without an end'],
  ])('refuses one with %s', async (_, change, why) => {
    await expect(broken(change)).rejects.toThrow(why);
  });
});
