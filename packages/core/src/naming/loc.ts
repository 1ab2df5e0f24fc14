/** Data of a LOC record (RFC 1876): where something is. */
export interface Loc {
  /** Thousandths of a second of arc, north and east positive. */
  latitude: number;
  longitude: number;
  /** Centimetres above the reference (100 km below the ellipsoid). */
  altitude: number;
  /** Centimetres. */
  size: number;
  horizontal: number;
  vertical: number;
}

interface Fault {
  message: string;
  at: number;
}

/** @returns what stands there, or what is wrong with which word */
export function readLoc(words: readonly string[]): Loc | Fault {
  let at = 0;
  const angle = (most: number, plus: string, minus: string): number | Fault => {
    const parts: number[] = [];
    for (; at < words.length && parts.length < 3 && /^\d+(\.\d{1,3})?$/.test(words[at] as string); at++)
      parts.push(Number(words[at]));
    const [d = Number.NaN, m = 0, s = 0] = parts;
    const side = words[at];
    const value = Math.round((d * 3600 + m * 60 + s) * 1000);
    if (!(value <= most * 3_600_000) || m >= 60 || s >= 60 || !Number.isInteger(d) || !Number.isInteger(m))
      return { message: `an angle of at most ${most} degrees is expected`, at: Math.min(at, words.length - 1) };
    if (side !== plus && side !== minus)
      return { message: `${plus} or ${minus} is expected behind the angle`, at: Math.min(at, words.length - 1) };
    at++;
    return side === plus ? value : -value;
  };
  const metres = (usual: number | undefined, least: number, most: number): number | Fault => {
    const w = words[at];
    if (w === undefined) return usual ?? { message: 'the altitude is missing', at: Math.max(0, words.length - 1) };
    const m = /^(-?\d{1,8}(?:\.\d{1,2})?)m?$/.exec(w);
    const cm = m ? Math.round(Number(m[1]) * 100) : Number.NaN;
    if (!(cm >= least && cm <= most)) return { message: `${w} is not a length in metres that fits here`, at };
    at++;
    return cm;
  };
  const out: number[] = [];
  for (const read of [
    () => angle(90, 'N', 'S'),
    () => angle(180, 'E', 'W'),
    () => metres(undefined, -10_000_000, 4_284_967_295),
    () => metres(100, 0, 9e9),
    () => metres(1_000_000, 0, 9e9),
    () => metres(1000, 0, 9e9),
  ]) {
    const v = read();
    if (typeof v !== 'number') return v;
    out.push(v);
  }
  if (at < words.length) return { message: `${words[at]} is too much`, at };
  const [latitude, longitude, altitude, size, horizontal, vertical] = out as [number, number, number, number, number, number];
  return { latitude, longitude, altitude: altitude + 10_000_000, size, horizontal, vertical };
}
export const locFault = (words: readonly string[]): Fault | undefined => {
  const r = readLoc(words);
  return 'message' in r ? r : undefined;
};

/** One digit times a power of ten, as lengths are kept on the wire (RFC 1876 §2): rounded down to one digit. */
export const lengthByte = (cm: number): number => {
  let power = 0;
  let n = Math.floor(cm);
  while (n > 9) {
    n = Math.floor(n / 10);
    power++;
  }
  return (n << 4) | power;
};
export const byteLength = (b: number): number => (b >> 4) * 10 ** (b & 15);

export function writeLoc(l: Loc): string {
  const angle = (v: number, plus: string, minus: string) => {
    const t = Math.abs(v);
    const s = (t % 60_000) / 1000;
    return `${Math.floor(t / 3_600_000)} ${Math.floor(t / 60_000) % 60} ${s.toFixed(3)} ${v < 0 ? minus : plus}`;
  };
  const metres = (cm: number) => `${(cm / 100).toFixed(2)}m`;
  return [
    angle(l.latitude, 'N', 'S'),
    angle(l.longitude, 'E', 'W'),
    metres(l.altitude - 10_000_000),
    ...[l.size, l.horizontal, l.vertical].map((cm) => metres(byteLength(lengthByte(cm)))),
  ].join(' ');
}
export function locNormal(words: readonly string[]): string {
  const r = readLoc(words);
  return 'message' in r ? words.join(' ') : writeLoc(r);
}
