import { existsSync, readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { layOut } from './boot-program.ts';

/** A stub with so many sections in its table, room for `room` of them before its first bytes, and `raw` bytes of content. */
function stub({ sections = 2, room = 8, raw = 512, inMemory = 4096, inFile = 512 } = {}) {
  const table = 64 + 24 + 240;
  const headers = Math.ceil((table + room * 40) / inFile) * inFile;
  const b = Buffer.alloc(headers + sections * raw);
  b.write('MZ');
  b.writeUInt32LE(64, 60);
  b.write('PE\0\0', 64, 'latin1');
  b.writeUInt16LE(0x8664, 68);
  b.writeUInt16LE(sections, 70);
  b.writeUInt16LE(240, 84);
  b.writeUInt16LE(0x20b, 88);
  b.writeUInt32LE(inMemory, 88 + 32);
  b.writeUInt32LE(inFile, 88 + 36);
  b.writeUInt32LE(headers, 88 + 60);
  b.writeUInt16LE(10, 88 + 68);
  for (let n = 0; n < sections; n++) {
    const e = table + n * 40;
    b.write(`.own${n}`, e);
    b.writeUInt32LE(300, e + 8);
    b.writeUInt32LE(0x4000 + n * 0x4000, e + 12);
    b.writeUInt32LE(raw, e + 16);
    b.writeUInt32LE(headers + n * raw, e + 20);
  }
  return b;
}
const sectionsOf = (head: Uint8Array) => {
  const b = Buffer.from(head);
  const table = 88 + b.readUInt16LE(84);
  return Array.from({ length: b.readUInt16LE(70) }, (_, n) => {
    const e = table + n * 40;
    return {
      name: b.toString('latin1', e, e + 8).replaceAll('\0', ''),
      size: b.readUInt32LE(e + 8),
      address: b.readUInt32LE(e + 12),
      raw: b.readUInt32LE(e + 16),
      at: b.readUInt32LE(e + 20),
      flags: b.readUInt32LE(e + 36),
    };
  });
};

describe('the program that firmware boots', () => {
  it('has the parts as sections behind those of the stub: in the file by 512, in memory by 4096', () => {
    // The stub: 1024 bytes of headers and 2 × 512 of content; its second section ends in memory at 0x8000 + 300.
    const p = layOut(stub(), [
      { name: '.cmdline', size: 62 },
      { name: '.linux', size: 1025 },
      { name: '.initrd', size: 512 },
    ]);
    expect(p.head).toHaveLength(2048);
    expect(p.parts).toEqual([
      { name: '.cmdline', size: 62, at: 2048, padding: 450 },
      { name: '.linux', size: 1025, at: 2560, padding: 511 },
      { name: '.initrd', size: 512, at: 4096, padding: 0 },
    ]);
    expect(p.size).toBe(4608);
    expect(sectionsOf(p.head).slice(2)).toEqual([
      { name: '.cmdline', size: 62, address: 0x9000, raw: 512, at: 2048, flags: 0x40000040 },
      { name: '.linux', size: 1025, address: 0xa000, raw: 1536, at: 2560, flags: 0x40000040 },
      { name: '.initrd', size: 512, address: 0xb000, raw: 512, at: 4096, flags: 0x40000040 },
    ]);
    // The image in memory ends with the last part: 0xb000 + 512, by 4096.
    expect(Buffer.from(p.head).readUInt32LE(88 + 56)).toBe(0xc000);
    expect(sectionsOf(p.head).slice(0, 2)).toEqual(sectionsOf(stub()));
  });

  it('never has two sections in one place, neither in the file nor in memory', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 200_000 }), { minLength: 1, maxLength: 4 }),
        fc.constantFrom(512, 4096),
        fc.integer({ min: 1, max: 4 }),
        (sizes, inMemory, sections) => {
          const p = layOut(
            stub({ inMemory, sections, raw: 1024 }),
            sizes.map((size, n) => ({ name: `.p${n}`, size })),
          );
          const all = sectionsOf(p.head);
          for (const [n, s] of all.entries()) {
            const next = all[n + 1];
            if (next) expect(next.address).toBeGreaterThanOrEqual(s.address + s.size);
            if (next) expect(next.at).toBeGreaterThanOrEqual(s.at + s.raw);
            expect(s.at + s.raw).toBeLessThanOrEqual(p.size);
          }
          expect(p.parts.reduce((n, x) => n + x.size + x.padding, p.head.length)).toBe(p.size);
        },
      ),
    );
  });

  const part = [{ name: '.cmdline', size: 1 }];
  const broken = (change: (b: Buffer) => void) => {
    const b = stub();
    change(b);
    return b;
  };
  it.each<[string, Uint8Array, string]>([
    ['a script', Buffer.from('#!ipxe\n'.padEnd(200)), 'no PE program'],
    ['nothing', Buffer.alloc(0), 'cut short'],
    ['a DOS program', broken((b) => b.write('XX', 64)), 'no PE program'],
    ['another processor', broken((b) => b.writeUInt16LE(0xaa64, 68)), 'x86-64'],
    ['a driver', broken((b) => b.writeUInt16LE(11, 88 + 68)), 'no EFI application'],
    ['an end in the middle', stub().subarray(0, 1500), 'cut short'],
    ['a header that lies elsewhere', broken((b) => b.writeUInt32LE(0xfffffff0, 60)), 'cut short'],
    // 328 bytes before the table, 4 entries of 40 in 512: 184 bytes, room for 4; 4 are taken.
    ['a full table', stub({ sections: 4, room: 4 }), 'room for 0 more'],
  ])('is not made of %s', (_, bytes, why) => {
    expect(() => layOut(bytes, part)).toThrow(why);
  });

  const debians = '/usr/lib/systemd/boot/efi/linuxx64.efi.stub';
  it.runIf(existsSync(debians))('is made of Debian’s own stub', () => {
    const p = layOut(readFileSync(debians), [
      ...part,
      { name: '.linux', size: 9_000_000 },
      { name: '.initrd', size: 40_000_000 },
    ]);
    expect(p.parts.map((x) => x.name)).toEqual(['.cmdline', '.linux', '.initrd']);
  });
});
