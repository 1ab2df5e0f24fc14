import type { Finding } from '@praesidor/core/checks';
import type { ReactNode } from 'react';
import { MarginContext } from '../parts/FindingMarker.tsx';
import { KnownAsOf } from '../parts/KnownAsOf.tsx';
import { Own } from '../parts/Own.tsx';
import { useScope } from '../state/scope.ts';
import { useView } from '../state/view.ts';
import { Margin } from './Margin.tsx';

interface Props {
  space: string;
  title: ReactNode;
  crumbs?: ReactNode;
  /** The sheets of a space: always below the title. */
  sheets?: ReactNode;
  facts?: ReactNode;
  acts?: ReactNode;
  findings: readonly Finding[];
  /** The document that this view is about, as `Network lr-machine`: E edits it. */
  edits?: string | undefined;
  extra?: ReactNode;
  foot?: ReactNode;
  children: ReactNode;
}

/** Work area and margin: title in serif, the facts of the subject beside it, at most three acts at the right. */
export function Space({ space, title, crumbs, sheets, facts, acts, findings, edits, extra, foot, children }: Props) {
  const { site } = useScope();
  const folded = useView((s) => s.folded[space]) ?? false;
  return (
    <MarginContext value={findings}>
      <div className={`grid min-h-0 ${folded ? 'grid-cols-[minmax(0,1fr)_30px]' : 'grid-cols-[minmax(0,1fr)_312px]'}`}>
        <main className="flex min-h-0 flex-col overflow-auto px-5.5 pb-6 outline-none" id="work" tabIndex={-1} data-edit={edits}>
          {crumbs && <div className="pt-3.5 text-ink-2 text-sm">{crumbs}</div>}
          <div className={`flex items-center gap-2.5 border-rule-2 border-b pb-3 ${crumbs ? 'pt-1.5' : 'pt-4.5'}`}>
            <h1 className="shrink-0 whitespace-nowrap text-xl">{typeof title === 'string' ? <Own>{title}</Own> : title}</h1>
            {/* Cut where there is no room; whole while it has the focus. */}
            <div
              // biome-ignore lint/a11y/noNoninteractiveTabindex: what is cut must be readable with the keyboard
              tabIndex={0}
              title={typeof facts === 'string' ? facts : undefined}
              className="min-w-0 truncate pt-1 text-ink-2 focus:whitespace-normal focus:text-ink"
            >
              {facts}
            </div>
            <div className="ml-auto flex gap-2.5">{acts}</div>
          </div>
          <KnownAsOf site={site} />
          {sheets && <div className="pt-3 pb-1 print:hidden">{sheets}</div>}
          {children}
        </main>
        <Margin space={space} folded={folded} findings={findings} extra={extra} foot={foot} />
      </div>
    </MarginContext>
  );
}
