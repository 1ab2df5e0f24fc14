import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { layOutMedia } from '../src/files/index.ts';

const dir = mkdtempSync(join(tmpdir(), 'praesidor-media-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));
const files = [
  { name: 'user-data', content: `#cloud-config\n${'x: y # a line\n'.repeat(700)}` },
  { name: 'meta-data', content: 'instance-id: plover-lr-02\n' },
  { name: 'vendor-data', content: '' },
  { name: 'network-config', content: 'network:\n  version: 2\n' },
];
const whole = (program: Uint8Array, data = files) => {
  const laid = layOutMedia(data, program.length);
  return { ...laid, bytes: Buffer.concat([laid.head, program, Buffer.alloc(laid.padding)]) };
};
function programOf(size: number): Buffer {
  const bytes = Buffer.alloc(size);
  for (let n = 0; n < size; n++) bytes[n] = n * 7 + (n >> 9);
  return bytes;
}

describe('a boot medium', () => {
  it('has its parts where the arithmetic says', () => {
    const m = whole(programOf(100_000));
    // 23 sectors of 2048 before the files; they take ⌈9814/2048⌉ = 5, 1, 1 (an empty file has its own sector) and 1: the image begins at 31.
    expect(files.map((f) => f.content.length)).toEqual([9814, 26, 0, 22]);
    expect(m.bytes.readUInt32LE(19 * 2048 + 40)).toBe(31);
    // FAT16 from 4085 clusters on, here 4100 of 512 bytes: tables of ⌈4102·2/512⌉ = 17 sectors, twice, a root of 32, one reserved: data at 67.
    const fat = 31 * 2048;
    expect([m.bytes.readUInt16LE(fat + 19), m.bytes.readUInt16LE(fat + 22), m.bytes[fat + 13]]).toEqual([67 + 4100, 17, 1]);
    // Two folders, then the program.
    expect(m.head.length).toBe(fat + (67 + 2) * 512);
    // 4167 sectors of 512 are 1041.75 of 2048.
    expect(m.size).toBe((31 + 1042) * 2048);
    expect(m.bytes.length).toBe(m.size);
  });

  it('takes larger clusters for a larger program, up to 2 GB', () => {
    const perCluster = (size: number) => {
      const { head } = layOutMedia([], size);
      return head[24 * 2048 - 2048 + 13];
    };
    // 65,500 clusters of 4 kB hold 268 MB.
    expect([perCluster(33_000_000), perCluster(34_000_000), perCluster(240_000_000), perCluster(2_000_000_000)]).toEqual([
      1, 2, 8, 64,
    ]);
    expect(() => layOutMedia([], 2_200_000_000)).toThrow('larger than a boot medium takes');
  });

  it('is a whole number of sectors, whatever lies on it, and the same each time', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 300_000_000 }),
        fc.array(fc.string({ maxLength: 5000 }), { maxLength: 6 }),
        (size, texts) => {
          const data = texts.map((content, n) => ({ name: `file-${n}`, content }));
          const m = layOutMedia(data, size);
          expect(m.size % 2048).toBe(0);
          expect(m.head.length + size + m.padding).toBe(m.size);
          expect(m.padding).toBeGreaterThanOrEqual(0);
          expect(Buffer.from(layOutMedia(data, size).head).equals(m.head)).toBe(true);
        },
      ),
      { numRuns: 30 },
    );
  });

  it('refuses more files than one directory takes', () => {
    const many = Array.from({ length: 40 }, (_, n) => ({ name: `file-${n}`, content: 'x' }));
    expect(() => layOutMedia(many, 10)).toThrow('do not fit');
  });
});

const has = (...paths: string[]) => paths.every((p) => existsSync(p));
const run = (command: string, ...args: string[]) => {
  const r = spawnSync(command, args, { encoding: 'utf8', cwd: dir });
  return { status: r.status, said: `${r.stdout}${r.stderr}` };
};
const sum = (b: Buffer) => createHash('sha256').update(b).digest('hex');

describe.runIf(has('/usr/bin/xorriso', '/sbin/fsck.vfat', '/usr/bin/mcopy', '/sbin/blkid'))(
  'a boot medium before programs that read one',
  () => {
    it.each([1000, 100_000, 40_000_000])('with a program of %i bytes', (size) => {
      const program = programOf(size);
      const { bytes } = whole(program);
      writeFileSync(join(dir, 'm.iso'), bytes);
      expect(run('/sbin/blkid', '-p', '-o', 'export', 'm.iso').said).toMatch(/LABEL=CIDATA\n[\s\S]*TYPE=iso9660/);
      const told = run('xorriso', '-indev', 'm.iso', '-report_el_torito', 'plain', '-lsl', '/').said;
      expect(told).toMatch(/El Torito boot img : +1 +UEFI +y +none /);
      expect(told).not.toMatch(/WARNING|SORRY|FAILURE|FATAL/);
      for (const { name, content } of files) {
        // Only root reads what has keys in it.
        expect(told).toMatch(new RegExp(`-r-------- +1 0 +0 +${content.length} .* '${name}'`));
        rmSync(join(dir, name), { force: true });
        expect(run('xorriso', '-osirrox', 'on', '-indev', 'm.iso', '-extract', `/${name}`, name).status).toBe(0);
        expect(readFileSync(join(dir, name), 'utf8')).toBe(content);
      }
      writeFileSync(join(dir, 'm.fat'), bytes.subarray(bytes.readUInt32LE(19 * 2048 + 40) * 2048));
      expect(run('/sbin/fsck.vfat', '-n', 'm.fat')).toEqual({ status: 0, said: expect.stringMatching(/4 files/) as string });
      rmSync(join(dir, 'program'), { force: true });
      expect(run('mcopy', '-i', 'm.fat', '::EFI/BOOT/BOOTX64.EFI', 'program')).toEqual({ status: 0, said: '' });
      expect(sum(readFileSync(join(dir, 'program')))).toBe(sum(program));
    });
  },
);
