import { structuredPatch } from 'diff';

/** A line of a difference: as it stands in both, only before, or only after. */
export interface DiffLine {
  sign: ' ' | '-' | '+';
  text: string;
}
/** What became of a file: how many lines came and went, and the places where they did with two lines around each. */
export interface FileChange {
  path: string;
  how: 'added' | 'changed' | 'removed';
  more: number;
  less: number;
  hunks: { line: number; lines: DiffLine[] }[];
}

type Files = ReadonlyMap<string, string>;
const around = 2;
/** Lines of a difference beyond which only its size is told. */
const most = 2000;

/** What two sets of files differ in, by path (Myers' difference of lines). Files that are the same are left out. */
export function fileChanges(before: Files, after: Files): FileChange[] {
  return [...new Set([...before.keys(), ...after.keys()])].sort().flatMap((path): FileChange[] => {
    const [old, now] = [before.get(path), after.get(path)];
    if (old === now) return [];
    const { hunks } = structuredPatch('', '', old ?? '', now ?? '', '', '', { context: around });
    const lines = hunks.flatMap((h) => h.lines);
    return [
      {
        path,
        how: old === undefined ? 'added' : now === undefined ? 'removed' : 'changed',
        more: lines.filter((l) => l.startsWith('+')).length,
        less: lines.filter((l) => l.startsWith('-')).length,
        hunks:
          lines.length > most
            ? []
            : hunks.map((h) => ({
                line: h.newStart,
                lines: h.lines
                  .filter((l) => !l.startsWith('\\'))
                  .map((l) => ({ sign: l[0] as DiffLine['sign'], text: l.slice(1) })),
              })),
      },
    ];
  });
}
