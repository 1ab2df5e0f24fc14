import { labelOfField } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useEffect, useMemo, useRef, useState } from 'react';
import { type KitFileDto, useFiles, useKitLines, useKitSince } from '../../api/queries.ts';
import { Copy } from '../../parts/Copy.tsx';
import { When } from '../../parts/When.tsx';
import { useMay } from '../../state/may.ts';
import { useScope } from '../../state/scope.ts';
import { DiffLines, sizeOfChange } from './DiffLines.tsx';

/** Whose files a path is among: those of a host, or of the cluster. */
const ownerOf = (path: string) => (path.startsWith('hosts/') ? (path.split('/')[1] ?? '') : 'cluster');
const groupOf = (path: string) => (path.startsWith('hosts/') ? path.split('/').slice(0, 2).join('/') : 'cluster');

/** The boot kit as it follows from the saved charter: tree, content, which field each line came from, and what the last build wrote. */
export default function FilesTab({ name, edited }: { name: string; edited: boolean }) {
  const files = useFiles(name, true);
  const since = useKitSince(name).data;
  const may = useMay().may('clusters.access');
  const { params, setParams } = useScope();
  const [differences, setDifferences] = useState(false);
  const field = params.get('trace') ?? '';
  const ofField = useKitLines(name, field ? { field } : undefined);
  const traced = ofField.data?.fields[0];
  const put = (change: Record<string, string | undefined>) =>
    setParams(
      (p) => {
        for (const [k, v] of Object.entries(change)) v === undefined ? p.delete(k) : p.set(k, v);
        return p;
      },
      { replace: true },
    );
  const changes = useMemo(() => new Map(since?.changes.map((c) => [c.path, c])), [since]);
  const shown = useMemo(
    () => (files.data ?? []).filter((f) => (!field || traced?.lines[f.path]) && (!differences || changes.has(f.path))),
    [files.data, field, traced, differences, changes],
  );
  const groups = useMemo(() => {
    const g = new Map<string, { path: string; short: string }[]>();
    for (const f of shown) {
      const group = groupOf(f.path);
      g.set(group, [...(g.get(group) ?? []), { path: f.path, short: f.path.slice(group.length + 1) }]);
    }
    return g;
  }, [shown]);
  const chosen =
    shown.find((f) => f.path === params.get('file')) ?? shown.find((f) => f.path === 'cluster/summary.md') ?? shown[0];
  if (files.error) return <p className="pt-4 text-brick">{files.error.message}</p>;
  if (!files.data) return <p className="pt-4 text-ink-3">Writing the kit…</p>;
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-5 pt-2.5 text-ink-2">
        <span>
          {counted(files.data.length, 'file')}
          {edited ? ', of the saved revision' : ''}
        </span>
        {since?.build !== undefined && since.at && (
          <span>
            {since.changes.length ? `${counted(since.changes.length, 'file')} differ from` : 'The same as'} build {since.build} of{' '}
            <When at={since.at} />
            {since.changes.length > 0 && (
              <label className="ml-3">
                <input type="checkbox" checked={differences} onChange={(e) => setDifferences(e.target.checked)} /> what differs
                alone
              </label>
            )}
          </span>
        )}
        {field && (
          <span role="status">
            {ofField.isPending
              ? `Looking for the lines that come from ${labelOfField('Charter', field.split('.'))}…`
              : traced
                ? `${counted(traced.count, 'line')} in ${counted(Object.keys(traced.lines).length, 'file')} come from ${labelOfField('Charter', field.split('.'))}`
                : `No line comes from ${labelOfField('Charter', field.split('.'))}`}{' '}
            <button
              type="button"
              className="font-semibold text-verdigris hover:underline"
              onClick={() => put({ trace: undefined })}
            >
              Show all files
            </button>
          </span>
        )}
        {may && (
          <a className="ml-auto font-semibold text-verdigris hover:underline" href={`/api/charters/${name}/kit.tar.gz`} download>
            Download all, with checksums
          </a>
        )}
      </div>
      <div className="grid min-h-0 grid-cols-[250px_minmax(0,1fr)] gap-5 pt-2">
        <nav aria-label="Files" className="max-h-[560px] overflow-auto pr-1">
          {[...groups].map(([g, list]) => (
            <details key={g} open={g === 'cluster' || chosen?.path.startsWith(`${g}/`) || !!field || differences}>
              <summary className="cursor-pointer py-0.5 font-semibold">{g.replace('hosts/', '')}</summary>
              {list.map((f) => (
                <button
                  type="button"
                  data-row
                  key={f.path}
                  onClick={() => put({ file: f.path })}
                  className={`mono block w-full truncate py-0.5 pl-3 text-left text-[12px]! ${f.path === chosen?.path ? 'lit' : 'text-ink-2'}`}
                  title={f.path}
                >
                  {f.short}
                </button>
              ))}
            </details>
          ))}
        </nav>
        {chosen && (
          <OneFile
            key={chosen.path}
            name={name}
            file={chosen}
            lit={traced?.lines[chosen.path] ?? []}
            change={differences ? changes.get(chosen.path) : undefined}
            onField={(to) => put({ tab: 'sheet', field: to, trace: undefined, file: undefined })}
          />
        )}
      </div>
    </>
  );
}

/** One file: a click on a line says which fields it came from, and leads to them. */
function OneFile({
  name,
  file,
  lit,
  change,
  onField,
}: {
  name: string;
  file: KitFileDto;
  lit: readonly number[];
  change: Parameters<typeof DiffLines>[0]['change'] | undefined;
  onField: (path: string) => void;
}) {
  const [line, setLine] = useState<number>();
  const lines = useKitLines(name, line === undefined ? undefined : { of: ownerOf(file.path) });
  const from = line === undefined ? [] : (lines.data?.fields.filter((f) => f.lines[file.path]?.includes(line)) ?? []);
  const bright = useMemo(() => new Set(lit), [lit]);
  const text = useRef<HTMLPreElement>(null);
  const [first] = lit;
  useEffect(() => {
    if (first) text.current?.querySelector(`[data-line="${first}"]`)?.scrollIntoView({ block: 'center' });
  }, [first]);
  return (
    <div className="min-w-0">
      <div className="flex items-baseline gap-3 pb-1">
        <Copy text={file.content} className="mono font-semibold">
          {file.path}
        </Copy>
        <span className="mono text-ink-3" title={file.sha256}>
          sha256 {file.sha256.slice(0, 12)}…
        </span>
        {change && <span className="text-ink-2">{sizeOfChange(change)}</span>}
      </div>
      <div className="min-h-[22px] pb-1.5 text-ink-2" role="status">
        {line === undefined ? (
          <>
            A click on a line leads to the field it came from.
            {file.secret && ' It holds secrets: they are named here, and filled in when it is fetched.'}
          </>
        ) : lines.isPending ? (
          `Line ${line}: looking for the fields that it comes from…`
        ) : from.length ? (
          <>
            Line {line} comes from{' '}
            {from.slice(0, 4).map((f) => (
              <button
                key={f.field}
                type="button"
                className="follows mr-3 hover:underline"
                title={f.field}
                onClick={() => onField(f.field)}
              >
                ↳ {labelOfField('Charter', f.field.split('.'))}
              </button>
            ))}
          </>
        ) : (
          <>
            Line {line} comes from no field of the charter; the file is made from{' '}
            {file.from.map((f) => (
              <span key={f} className="mr-2">
                {f}
              </span>
            ))}
          </>
        )}
      </div>
      {change?.how === 'changed' ? (
        <DiffLines change={change} />
      ) : (
        <pre
          ref={text}
          // biome-ignore lint/a11y/noNoninteractiveTabindex: what is scrolled must be reached with the keyboard
          tabIndex={0}
          className="max-h-[520px] overflow-auto border border-rule bg-leaf py-2 font-mono text-[12px] leading-[1.45]"
        >
          {file.content
            .replace(/\n$/, '')
            .split('\n')
            .map((text, i) => (
              <button
                type="button"
                // biome-ignore lint/suspicious/noArrayIndexKey: a line has no name but its place
                key={i}
                data-line={i + 1}
                tabIndex={-1}
                {...(text.trim() ? {} : { 'aria-label': `Line ${i + 1}, empty` })}
                onClick={() => setLine(i + 1)}
                className={`block w-full whitespace-pre px-3 text-left font-mono hover:bg-paper ${line === i + 1 ? 'bg-plum/10' : bright.has(i + 1) ? 'lit' : ''}`}
              >
                {text || ' '}
              </button>
            ))}
        </pre>
      )}
    </div>
  );
}
