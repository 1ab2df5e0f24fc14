import type { FileChange } from '@praesidor/core/files';
import { counted } from '@praesidor/core/words';

const tone = { ' ': 'text-ink-3', '-': 'bg-brick-tint', '+': 'bg-verdigris/15' } as const;

/** The lines in which a file differs, with what stands around them. */
export function DiffLines({ change }: { change: FileChange }) {
  if (!change.hunks.length) return <p className="text-ink-2">Too much differs to be shown line by line.</p>;
  return (
    <pre className="overflow-auto border border-rule bg-leaf py-1 font-mono text-[12px] leading-[1.45]">
      {change.hunks.map((h) => (
        <span key={h.line} className="block border-rule border-t first:border-t-0">
          <span className="block px-3 text-ink-3 text-sm">line {h.line}</span>
          {h.lines.map((l, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a line has no name but its place
            <span key={i} className={`block px-3 ${tone[l.sign]}`}>
              {l.sign} {l.text}
            </span>
          ))}
        </span>
      ))}
    </pre>
  );
}

/** How much of a file differs, in words. */
export const sizeOfChange = (c: FileChange): string =>
  c.how === 'added'
    ? `new, ${counted(c.more, 'line')}`
    : c.how === 'removed'
      ? 'goes'
      : `${counted(c.more, 'line')} more, ${c.less} less`;

/** Files that differ, each to be opened. */
export function FileChanges({ list }: { list: readonly FileChange[] }) {
  return (
    <>
      {list.slice(0, 200).map((c) => (
        <details key={c.path} className="border-rule border-b py-0.5">
          <summary className="flex cursor-pointer items-baseline gap-3">
            <span className="mono min-w-0 flex-1 truncate text-[12px]!" title={c.path}>
              {c.path}
            </span>
            <span className="shrink-0 text-ink-2 text-sm">{sizeOfChange(c)}</span>
          </summary>
          {c.how === 'changed' && <DiffLines change={c} />}
        </details>
      ))}
    </>
  );
}
