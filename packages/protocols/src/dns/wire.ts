/** Names on the wire (RFC 1035 §4.1.4). Every length is checked before it is believed. */

export class WireError extends Error {
  constructor(
    message: string,
    readonly offset: number,
  ) {
    super(`${message} at byte ${offset}`);
    this.name = 'WireError';
  }
}

/** The labels of a name as text, escapes read (RFC 1035 §5.1): a dot behind a backslash belongs to its label. */
function labelsOf(name: string): string[] {
  if (name === '') return [];
  if (!name.includes('\\')) return name.split('.');
  const read = (label: string) =>
    label.replace(/\\(\d{3}|[\s\S])/g, (_, c: string) => (c.length === 3 ? String.fromCharCode(Number(c) & 255) : c));
  return (name.match(/(?:\\\d{3}|\\[\s\S]|[^.\\])+|(?<=^|\.)(?=\.|$)/g) ?? []).map(read);
}
/** The text of a label from the wire: what would be read as something else is escaped. */
const labelText = (label: string) =>
  /^[a-z0-9_*-]*$/i.test(label)
    ? label
    : label.replace(/[^a-z0-9_*-]/gi, (c) =>
        c > ' ' && c < '\x7f' ? `\\${c}` : `\\${String(c.charCodeAt(0)).padStart(3, '0')}`,
      );

/** A name without compression, lower-case. @throws WireError for labels over 63 or names over 255 bytes. */
export function encodeName(name: string): Buffer {
  const labels = labelsOf(name.replace(/(?<!\\)\.$/, '').toLowerCase());
  const parts: Buffer[] = [];
  for (const label of labels) {
    const bytes = Buffer.from(label, 'latin1');
    if (bytes.length === 0 || bytes.length > 63)
      throw new WireError(`the label ${JSON.stringify(label.slice(0, 70))} has ${bytes.length} bytes, 1 to 63 are allowed`, 0);
    parts.push(Buffer.from([bytes.length]), bytes);
  }
  const out = Buffer.concat([...parts, Buffer.from([0])]);
  if (out.length > 255) throw new WireError('the name is longer than 255 bytes', 0);
  return out;
}

/** Reads a name, following compression pointers, which may only point backwards (so that a loop cannot be built). */
export function decodeName(b: Buffer, start: number): { name: string; next: number } {
  const labels: string[] = [];
  let at = start;
  let next = -1;
  let total = 0;
  let floor = start;
  for (;;) {
    const length = b[at];
    if (length === undefined) throw new WireError('the message ends inside a name', at);
    if (length === 0) {
      at++;
      break;
    }
    if ((length & 0xc0) === 0xc0) {
      const low = b[at + 1];
      if (low === undefined) throw new WireError('the message ends inside a pointer', at);
      const to = ((length & 0x3f) << 8) | low;
      if (to >= floor) throw new WireError('a compression pointer does not point backwards', at);
      if (next < 0) next = at + 2;
      at = to;
      floor = to;
      continue;
    }
    if (length & 0xc0) throw new WireError('an unknown kind of label', at);
    if (at + 1 + length > b.length) throw new WireError('the message ends inside a label', at);
    total += length + 1;
    if (total > 254) throw new WireError('a name longer than 255 bytes', at);
    labels.push(labelText(b.toString('latin1', at + 1, at + 1 + length).toLowerCase()));
    at += 1 + length;
  }
  return { name: labels.join('.'), next: next < 0 ? at : next };
}
