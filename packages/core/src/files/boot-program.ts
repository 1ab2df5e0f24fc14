/**
 * The one program that UEFI firmware loads for a host: a stub with the kernel, its command line and the initial file system
 * as sections of one PE image (UAPI.5, Unified Kernel Image; PE format, "Section Table"). Firmware boots no script, and hands
 * a kernel that it loads over the network neither a command line nor an initial file system.
 */
export interface Part {
  /** Name of the section: `.cmdline`, `.linux`, `.initrd`. */
  name: string;
  /** Bytes. */
  size: number;
}
export interface BootProgram {
  /** The stub with its table of sections rewritten, up to where the first part begins. */
  head: Uint8Array;
  /** Parts in their order, each with where it begins in the file and the zeros behind it. */
  parts: (Part & { at: number; padding: number })[];
  /** Bytes of the whole file. */
  size: number;
}

const entryBytes = 40;
/** IMAGE_SCN_CNT_INITIALIZED_DATA | IMAGE_SCN_MEM_READ */
const readOnlyData = 0x40000040;
const upTo = (n: number, step: number) => Math.ceil(n / step) * step;

/**
 * Lays parts out behind a stub. @throws Error that says why the stub cannot be used: it is no EFI program for x86-64, it is
 * cut short, or its table of sections has no room
 *
 * @example
 * layOut(stub, [{ name: '.cmdline', size: 62 }, { name: '.linux', size: 8_000_000 }])
 */
export function layOut(stub: Uint8Array, parts: readonly Part[]): BootProgram {
  const view = new DataView(stub.buffer, stub.byteOffset, stub.byteLength);
  const need = (offset: number, bytes: number) => {
    if (offset + bytes > stub.length) throw new Error('the stub is cut short');
    return offset;
  };
  if (view.getUint16(need(0, 64), true) !== 0x5a4d) throw new Error('the stub is no PE program');
  const pe = view.getUint32(60, true);
  if (view.getUint32(need(pe, 24), true) !== 0x4550) throw new Error('the stub is no PE program');
  const machine = view.getUint16(pe + 4, true);
  const count = view.getUint16(pe + 6, true);
  const optional = need(pe + 24, 112);
  if (machine !== 0x8664 || view.getUint16(optional, true) !== 0x20b) throw new Error('the stub is no program for x86-64');
  if (view.getUint16(optional + 68, true) !== 10) throw new Error('the stub is no EFI application');
  const table = optional + view.getUint16(pe + 20, true);
  need(table, count * entryBytes);
  const inMemory = view.getUint32(optional + 32, true);
  const inFile = view.getUint32(optional + 36, true);
  if (!inMemory || !inFile) throw new Error('the stub names no alignment of its sections');
  let firstRaw = view.getUint32(optional + 60, true);
  let address = 0;
  for (let n = 0; n < count; n++) {
    const at = table + n * entryBytes;
    address = Math.max(address, view.getUint32(at + 12, true) + view.getUint32(at + 8, true));
    const raw = view.getUint32(at + 20, true);
    if (raw) {
      firstRaw = Math.min(firstRaw, raw);
      need(raw, view.getUint32(at + 16, true));
    }
  }
  const end = table + count * entryBytes;
  if (end + parts.length * entryBytes > firstRaw)
    throw new Error(`the stub has room for ${Math.floor((firstRaw - end) / entryBytes)} more sections, of ${parts.length}`);

  const head = new Uint8Array(upTo(stub.length, inFile));
  head.set(stub);
  const out = new DataView(head.buffer);
  let at = head.length;
  const laid: BootProgram['parts'] = [];
  for (const [n, part] of parts.entries()) {
    const entry = end + n * entryBytes;
    const raw = upTo(part.size, inFile);
    address = upTo(address, inMemory);
    for (const [k, c] of [...part.name.padEnd(8, '\0')].entries()) head[entry + k] = c.charCodeAt(0);
    out.setUint32(entry + 8, part.size, true);
    out.setUint32(entry + 12, address, true);
    out.setUint32(entry + 16, raw, true);
    out.setUint32(entry + 20, at, true);
    out.setUint32(entry + 36, readOnlyData, true);
    laid.push({ ...part, at, padding: raw - part.size });
    at += raw;
    address += part.size;
  }
  out.setUint16(pe + 6, count + parts.length, true);
  out.setUint32(optional + 56, upTo(address, inMemory), true);
  // The sum is asked of drivers that are loaded at a kernel's start, and not of EFI applications.
  out.setUint32(optional + 64, 0, true);
  return { head, parts: laid, size: at };
}
