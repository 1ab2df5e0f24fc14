/** What somebody types as a size, in bytes: `64 GB`, `700MB`, `1.5 TB`; powers of 1000. Undefined where it is none. */
export function readSize(text: string): number | undefined {
  const m = /^\s*(\d+(?:[.,]\d+)?)\s*(k|M|G|T)?B?\s*$/i.exec(text);
  if (!m) return undefined;
  const unit = { '': 1, K: 1e3, M: 1e6, G: 1e9, T: 1e12 }[(m[2] ?? '').toUpperCase()] ?? 1;
  return Math.round(Number((m[1] as string).replace(',', '.')) * unit);
}
