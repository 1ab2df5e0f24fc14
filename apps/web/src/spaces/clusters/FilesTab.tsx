import { counted } from '@praesidor/core/words';
import { useMemo } from 'react';
import { useFiles } from '../../api/queries.ts';
import { Copy } from '../../parts/Copy.tsx';
import { useMay } from '../../state/may.ts';
import { useScope } from '../../state/scope.ts';

/** The boot kit as it follows from the saved charter: tree, content, where it came from. */
export default function FilesTab({ name, edited }: { name: string; edited: boolean }) {
  const files = useFiles(name, true);
  const may = useMay().may('clusters.access');
  const { params, setParams } = useScope();
  const groups = useMemo(() => {
    const g = new Map<string, { path: string; short: string }[]>();
    for (const f of files.data ?? []) {
      const parts = f.path.split('/');
      const key = parts.slice(0, 2).join('/');
      const group = parts[0] === 'hosts' ? key : 'cluster';
      g.set(group, [...(g.get(group) ?? []), { path: f.path, short: f.path.slice(group.length + 1) }]);
    }
    return g;
  }, [files.data]);
  const chosen =
    files.data?.find((f) => f.path === params.get('file')) ?? files.data?.find((f) => f.path === 'cluster/summary.md');
  if (files.error) return <p className="pt-4 text-brick">{files.error.message}</p>;
  if (!files.data) return <p className="pt-4 text-ink-3">Writing the kit…</p>;
  return (
    <div className="grid min-h-0 grid-cols-[250px_minmax(0,1fr)] gap-5 pt-3">
      <nav aria-label="Files" className="max-h-[560px] overflow-auto pr-1">
        <div className="pb-2 text-ink-2">
          {counted(files.data.length, 'file')}
          {edited ? ', of the saved revision' : ''}
        </div>
        {[...groups].map(([g, list]) => (
          <details key={g} open={g === 'cluster' || chosen?.path.startsWith(`${g}/`)}>
            <summary className="cursor-pointer py-0.5 font-semibold">{g.replace('hosts/', '')}</summary>
            {list.map((f) => (
              <button
                type="button"
                data-row
                key={f.path}
                onClick={() =>
                  setParams(
                    (p) => {
                      p.set('file', f.path);
                      return p;
                    },
                    { replace: true },
                  )
                }
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
        <div className="min-w-0">
          <div className="flex items-baseline gap-3 pb-1">
            <Copy text={chosen.content} className="mono font-semibold">
              {chosen.path}
            </Copy>
            <span className="mono text-ink-3" title={chosen.sha256}>
              sha256 {chosen.sha256.slice(0, 12)}…
            </span>
            {may && (
              <a
                className="ml-auto font-semibold text-verdigris hover:underline"
                href={`/api/charters/${name}/kit.tar.gz`}
                download
              >
                Download all, with checksums
              </a>
            )}
          </div>
          <div className="pb-1.5 text-ink-2">
            from{' '}
            {chosen.from.map((f) => (
              <span key={f} className="follows mr-2">
                ↳ {f}
              </span>
            ))}
            {chosen.secret && <span>· holds secrets: they are named here and filled in when it is fetched</span>}
          </div>
          <pre
            // biome-ignore lint/a11y/noNoninteractiveTabindex: what is scrolled must be reached with the keyboard
            tabIndex={0}
            className="max-h-[520px] overflow-auto border border-rule bg-leaf p-3 font-mono text-[12px] leading-[1.45]"
          >
            {chosen.content}
          </pre>
        </div>
      )}
    </div>
  );
}
