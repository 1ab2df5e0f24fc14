/** The line at which a field of a document stands, the document beginning at line `from` (1 is the first). */
export function lineOf(text: string, from: number, field: string | number | undefined): number {
  const lines = text.split('\n');
  for (let i = from - 1; i < lines.length && !(i > from - 1 && lines[i]?.startsWith('---')); i++)
    if (lines[i]?.startsWith(`${field}:`)) return i + 1;
  return from;
}
