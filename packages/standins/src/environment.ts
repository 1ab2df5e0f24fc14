/**
 * Assignments of a file that a shell sources (POSIX 2.9.1) or systemd reads: `NAME=word`, `NAME='…'` or `NAME="…"` with
 * escapes. Comments and empty lines are passed over; anything else ends the reading, as it would end the script.
 */
export function readEnvironment(text: string): Record<string, string> {
  const out: Record<string, string> = {};
  for (const line of text.split('\n')) {
    if (/^\s*(#|$)/.test(line)) continue;
    const m = /^([A-Za-z_][A-Za-z0-9_]*)=(?:"((?:\\.|[^"\\$`])*)"|'([^']*)'|([^\s"'\\$`;&|<>()]*))\s*$/.exec(line);
    if (!m) break;
    out[m[1] as string] = m[2] === undefined ? (m[3] ?? m[4] ?? '') : m[2].replace(/\\(.)/g, '$1');
  }
  return out;
}
