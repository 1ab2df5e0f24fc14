import { ask } from './ask.ts';

/** UEFI firmware as far as HTTP boot goes (UEFI 2.10 §24.7): it asks for the length, loads a program, and runs no text. */
export interface Section {
  name: string;
  address: number;
  size: number;
  at: number;
}

/** Sections of an EFI application for x86-64 as a loader maps them (PE format). @throws Error as firmware would refuse it */
export function sectionsOf(program: Buffer): Section[] {
  if (program.length < 64 || program.toString('latin1', 0, 2) !== 'MZ') throw new Error('unsupported: it is no EFI program');
  const pe = program.readUInt32LE(60);
  if (pe + 136 > program.length || program.toString('latin1', pe, pe + 4) !== 'PE\0\0')
    throw new Error('unsupported: it is no EFI program');
  if (program.readUInt16LE(pe + 4) !== 0x8664) throw new Error('unsupported: it is for another processor');
  const optional = pe + 24;
  if (program.readUInt16LE(optional) !== 0x20b || program.readUInt16LE(optional + 68) !== 10)
    throw new Error('unsupported: it is no EFI application');
  const alignment = program.readUInt32LE(optional + 32);
  const whole = program.readUInt32LE(optional + 56);
  const headers = program.readUInt32LE(optional + 60);
  const table = optional + program.readUInt16LE(pe + 20);
  const count = program.readUInt16LE(pe + 6);
  if (table + count * 40 > headers) throw new Error('load error: the table of sections leaves the headers');
  let mapped = headers;
  return Array.from({ length: count }, (_, n) => {
    const e = table + n * 40;
    const s = {
      name: program.toString('latin1', e, e + 8).replace(/\0+$/, ''),
      size: program.readUInt32LE(e + 8),
      address: program.readUInt32LE(e + 12),
      at: program.readUInt32LE(e + 20),
    };
    const raw = program.readUInt32LE(e + 16);
    if (s.at + raw > program.length || raw < s.size) throw new Error(`load error: section ${s.name} is cut short`);
    if (s.address % alignment || s.address < mapped || s.address + s.size > whole)
      throw new Error(`load error: section ${s.name} lies where another does, or outside of the image`);
    mapped = s.address + s.size;
    return s;
  });
}

/** Fetches a program as firmware does, over TLS by the authorities that it was given. @throws Error in its words */
export async function httpBoot(uri: string, signal: AbortSignal, trust: readonly string[] = []): Promise<Buffer> {
  const asked = await ask(uri, { method: 'HEAD', signal, trust });
  const length = Number(asked.headers.get('content-length') ?? Number.NaN);
  if (!asked.ok || !(length > 0)) throw new Error('Could not retrieve NBP file size from HTTP server');
  const type = asked.headers.get('content-type') ?? '';
  if (type !== 'application/efi' && !new URL(uri).pathname.endsWith('.efi'))
    throw new Error('unsupported: what is served there is no boot program');
  const r = await ask(uri, { signal, trust });
  if (!r.ok) throw new Error(`${uri} answered ${r.status}`);
  const program = Buffer.from(await r.arrayBuffer());
  if (program.length !== length) throw new Error('load error: fewer bytes than were said');
  return program;
}

/** What a stub finds in the sections of the program that it stands in (UAPI.5): kernel, command line, initial file system. */
export function unified(program: Buffer): { cmdline: string; linux: Buffer; initrd: Buffer } {
  const sections = sectionsOf(program);
  const of = (name: string) => {
    const s = sections.find((x) => x.name === name);
    if (!s?.size) throw new Error(`the stub finds no ${name}`);
    return program.subarray(s.at, s.at + s.size);
  };
  return { cmdline: of('.cmdline').toString('utf8'), linux: of('.linux'), initrd: of('.initrd') };
}

/** A small EFI application for x86-64 that returns at once: what a system's artifact has for a stub here. */
export function smallStub(): Buffer {
  const b = Buffer.alloc(2048);
  b.write('MZ', 0, 'latin1');
  b.writeUInt32LE(64, 60);
  b.write('PE\0\0', 64, 'latin1');
  b.writeUInt16LE(0x8664, 68);
  b.writeUInt16LE(1, 70);
  b.writeUInt16LE(240, 84);
  b.writeUInt16LE(0x22e, 86);
  const o = 88;
  b.writeUInt16LE(0x20b, o);
  b.writeUInt32LE(0x1000, o + 16);
  b.writeUInt32LE(0x1000, o + 20);
  b.writeUInt32LE(0x1000, o + 32);
  b.writeUInt32LE(512, o + 36);
  b.writeUInt32LE(0x2000, o + 56);
  b.writeUInt32LE(1024, o + 60);
  b.writeUInt16LE(10, o + 68);
  b.writeUInt32LE(16, o + 108);
  const e = o + 240;
  b.write('.text', e, 'latin1');
  // xor eax, eax; ret
  b.writeUInt32LE(3, e + 8);
  b.writeUInt32LE(0x1000, e + 12);
  b.writeUInt32LE(512, e + 16);
  b.writeUInt32LE(1024, e + 20);
  b.writeUInt32LE(0x60000020, e + 36);
  b.set([0x31, 0xc0, 0xc3], 1024);
  return b.subarray(0, 1536);
}
