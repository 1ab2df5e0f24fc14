/** A 128-bit number out of a text, for identifiers that must be the same every time (FNV-1a, four runs). */
export function spread(text: string): string {
  let out = '';
  for (let run = 0; run < 4; run++) {
    let h = 0x811c9dc5 ^ (run * 0x9e3779b9);
    for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
    h ^= h >>> 15;
    h = Math.imul(h, 0x2c1b3c6d);
    h ^= h >>> 12;
    out += (h >>> 0).toString(16).padStart(8, '0');
  }
  return out;
}
/** An identifier made from a text, the same every time (RFC 9562, version 8). */
export function identifier(text: string): string {
  const h = spread(text);
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-8${h.slice(13, 16)}-${((Number.parseInt(h[16] as string, 16) & 3) | 8).toString(16)}${h.slice(17, 20)}-${h.slice(20, 32)}`;
}
