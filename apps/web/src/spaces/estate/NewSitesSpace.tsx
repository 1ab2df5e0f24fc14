import type { NewSite, SitesPreview } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Columns } from '../../parts/ImportTable.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { SameAct } from '../../parts/SameAct.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope, useTyped } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

/** Rows that somebody reads at once. */
const most = 300;
const words = { new: 'new', there: 'is there', wrong: 'wrong' } as const;

/** Many sites at once: a table says what is each one's own, all else is as at a site that is there. */
export function NewSitesSpace() {
  const { site: scope, params, setParam: set } = useScope();
  const navigate = useNavigate();
  const leave = useMay();
  const snapshot = useSnapshot().data;
  const sites = snapshot?.estate.sites ?? [];
  const like = params.get('like') || scope || sites.find((s) => s.form === 'edge')?.name || sites[0]?.name || '';
  const cluster = params.get('cluster') !== 'no';
  const [block, setBlock] = useTyped('block');
  const [within, setWithin] = useTyped('within');
  const [blockNow, withinNow] = [params.get('block'), params.get('within')];
  const [text, setText] = useState('');
  const [columns, setColumns] = useState<Record<string, string>>({});
  const [leaveOut, setLeaveOut] = useState(false);
  const asked = {
    text,
    like,
    cluster,
    ...(blockNow ? { block: blockNow } : {}),
    ...(withinNow ? { within: withinNow } : {}),
    ...(Object.keys(columns).length ? { columns } : {}),
  };
  const answer = useQuery({
    queryKey: ['new sites', JSON.stringify(asked), snapshot?.revision],
    enabled: like !== '',
    gcTime: 1000,
    retry: false,
    placeholderData: (old) => old,
    // Without a table, what a site of the next block would have.
    queryFn: () => api<SitesPreview>('POST', '/api/sites/preview', { ...asked, text: text.trim() ? text : `site\n${example}` }),
  });
  const p = answer.data;
  const shown = text.trim() ? p : undefined;
  const none = p !== undefined && cluster && !p.template;
  const take = useCall<{ sites: number; documents: number; act: number }>(
    () => ({ method: 'POST', path: '/api/sites/import', body: { ...asked, leaveOut, revision: snapshot?.revision } }),
    (r) => `${counted(r.sites, 'site')} made: ${counted(r.documents, 'document')}.`,
  );
  const n = shown?.counts.new ?? 0;
  const wrong = shown?.counts.wrong ?? 0;
  const held = shown?.fault
    ? shown.fault.message
    : !n
      ? 'The table has no new site yet'
      : wrong && !leaveOut
        ? 'Correct the lines that are wrong, or leave their sites out'
        : leave.why('plan.import');
  return (
    <Space
      space="new-sites"
      title="New sites"
      facts={
        shown && !shown.fault
          ? `${n} new · ${wrong} wrong · ${shown.counts.there} there already · ${counted(shown.documents, 'document')}`
          : 'from a table, each like a site that is there'
      }
      findings={[]}
      sheets={<SubNav site={scope} />}
      acts={
        <Button
          filled
          disabled={!n || (wrong > 0 && !leaveOut) || take.isPending || !leave.may('plan.import')}
          title={held || undefined}
          onClick={() => take.mutate(undefined, { onSuccess: () => void navigate(scoped('/estate', '')) })}
        >
          {take.isPending ? 'Making them…' : n ? `Make ${counted(n, 'site')}` : 'Make sites'}
        </Button>
      }
      extra={p && <Each preview={p} like={sites.find((s) => s.name === like)?.title ?? like} />}
    >
      <Refused error={take.error ?? answer.error} />
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-2 py-2.5">
        <label className="flex items-baseline gap-2">
          <span className="text-ink-2">Like</span>
          <select
            className="border border-rule-2 bg-leaf px-2 py-1"
            value={like}
            onChange={(e) => {
              set('like', e.target.value);
              setBlock('');
            }}
          >
            {sites.map((s) => (
              <option key={s.name} value={s.name}>
                {s.title} ({s.name})
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-baseline gap-2">
          <span className="text-ink-2">Its block</span>
          <input
            className="mono w-[190px] border border-rule-2 bg-leaf px-2 py-1"
            value={block}
            placeholder={p ? `↳ ${p.block}` : ''}
            onChange={(e) => setBlock(e.target.value)}
          />
        </label>
        <label className="flex items-baseline gap-2">
          <span className="text-ink-2">Carve new blocks from</span>
          <input
            className="mono w-[150px] border border-rule-2 bg-leaf px-2 py-1"
            value={within}
            placeholder="↳ the next free"
            onChange={(e) => setWithin(e.target.value)}
          />
        </label>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={cluster && !none}
            disabled={none}
            onChange={(e) => set('cluster', e.target.checked ? '' : 'no')}
          />
          {none
            ? `without a cluster: none at ${like} came from a template`
            : `with a cluster${p?.template ? ` of ${p.template.name}, version ${p.template.version}` : ''}`}
        </label>
      </div>
      <div className="flex items-center gap-3 pb-2">
        <FilePicker accept=".csv,.tsv,.txt" onText={setText} />
        <span className="text-ink-2">
          or paste a table: a line for each site, or for each of its hosts. Only the site’s name must be there.
        </span>
      </div>
      <textarea
        aria-label="Table of sites"
        value={text.length > 200_000 ? `${text.slice(0, 200_000)}\n…` : text}
        onChange={(e) => setText(e.target.value)}
        rows={text ? 4 : 7}
        spellCheck={false}
        className="mono w-full shrink-0 whitespace-pre border border-rule-2 bg-leaf px-2 py-1.5"
        placeholder={
          'site,title,block,host,serial,macs\navo,MV Avocet,,avo-1,HW98001S,52:8a:1c:50:01:01\navo,,,avo-2,HW98002S,52:8a:1c:50:02:01'
        }
      />
      {shown?.fault && (
        <p className="border-brick border-l-[3px] bg-brick-tint px-3 py-1.5 text-brick">
          Line {shown.fault.line}: {shown.fault.message}
        </p>
      )}
      {shown && shown.columns.length > 0 && (
        <details className="pt-1" open={shown.columns.some((c) => !c.field)}>
          <summary className="cursor-pointer text-ink-2">How each column is read</summary>
          <Columns
            preview={{ ...shown, columns: unreadFirst(shown.columns) }}
            onChoose={(header, field) => setColumns({ ...columns, [header]: field })}
          />
        </details>
      )}
      {shown && !shown.fault && (
        <>
          {wrong > 0 && (
            <label className="flex items-center gap-2 pt-2">
              <input type="checkbox" checked={leaveOut} onChange={(e) => setLeaveOut(e.target.checked)} /> leave out{' '}
              {counted(wrong, 'site that is wrong', 'sites that are wrong')} and make the others
            </label>
          )}
          <Sites list={shown.sites} more={shown.more} />
          {n > 0 && <SameAct same={() => take.call()} />}
        </>
      )}
    </Space>
  );
}

/** A name that no site has, for what the next site would have. */
const example = 'next-site';

/** What each site gets, and what it does not. */
function Each({ preview: p, like }: { preview: SitesPreview; like: string }) {
  const first = p.sites.find((s) => s.what === 'new') ?? p.sites[0];
  const kinds = new Map<string, number>();
  for (const d of first?.documents ?? []) kinds.set(kindOf(d), (kinds.get(kindOf(d)) ?? 0) + 1);
  return (
    <>
      <MarginPart title={`Each has, like ${like}`}>
        <ul>
          {[...kinds]
            .filter(([k]) => k !== 'Site')
            .map(([k, n]) => (
              <li key={k} className="flex gap-2 py-0.5">
                <span className="w-6 text-right tabular-nums">{n}</span>
                <span className="text-ink-2">{n === 1 ? one[k] : many[k]}</span>
              </li>
            ))}
        </ul>
        <p className="pt-1 text-ink-2">Facts of machines are not copied: they are read, or stand in the table.</p>
      </MarginPart>
      <MarginPart title="Columns of the table">
        <p className="mono whitespace-normal! text-sm">{p.fields.join(', ')}</p>
        {p.template && <p className="pt-1 text-ink-2">The last are the answers to the questions of {p.template.name}.</p>}
      </MarginPart>
      {p.apart.length > 0 && (
        <MarginPart title={`Of ${like} alone, left out`}>
          <ul className="text-ink-2">
            {p.apart.slice(0, 7).map((a) => (
              <li key={a} className="truncate" title={a}>
                {a}
              </li>
            ))}
            {p.apart.length > 7 && <li>and {p.apart.length - 7} more</li>}
          </ul>
        </MarginPart>
      )}
      {p.credentials.length > 0 && first?.name !== example && (
        <MarginPart title="The keyring needs">
          <ul className="mono">
            {p.credentials.slice(0, 7).map((c) => (
              <li key={c}>{c}</li>
            ))}
            {p.credentials.length > 7 && <li className="font-sans text-ink-2">and {p.credentials.length - 7} more</li>}
          </ul>
          <Link to="/keyring" className="text-verdigris hover:underline">
            Open Keyring
          </Link>
        </MarginPart>
      )}
    </>
  );
}
const kindOf = (document: string) => document.slice(0, document.indexOf(' '));
const one: Record<string, string> = {
  Network: 'network',
  Zone: 'DNS zone',
  Registry: 'registry',
  Reservation: 'reserved address',
  Record: 'DNS record',
  Host: 'host',
  Charter: 'charter of a cluster',
};
const many: Record<string, string> = {
  Network: 'networks',
  Zone: 'DNS zones',
  Registry: 'registries',
  Reservation: 'reserved addresses',
  Record: 'DNS records',
  Host: 'hosts',
  Charter: 'charters of clusters',
};

const unreadFirst = (list: SitesPreview['columns']) => [...list.filter((c) => !c.field), ...list.filter((c) => c.field)];

/** A row for each site: those that are wrong first. */
function Sites({ list, more }: { list: readonly NewSite[]; more: number }) {
  const [open, setOpen] = useState('');
  const sorted = [...list.filter((s) => s.what === 'wrong'), ...list.filter((s) => s.what !== 'wrong')];
  const hidden = Math.max(0, sorted.length - most) + more;
  return (
    <>
      <table className="grid-table mt-2" aria-label="Sites of the table">
        <thead>
          <tr>
            <th>Line</th>
            <th>Site</th>
            <th>Will be</th>
            <th>Block</th>
            <th className="text-right!">Networks</th>
            <th>Hosts</th>
            <th>Cluster</th>
          </tr>
        </thead>
        <tbody>
          {sorted.slice(0, most).map((s) => (
            <Fragment key={`${s.name} ${s.lines[0]}`}>
              <tr data-row tabIndex={-1}>
                <td>{linesText(s.lines)}</td>
                <td>
                  {s.what === 'new' ? (
                    <button
                      type="button"
                      aria-expanded={open === s.name}
                      className="font-semibold hover:underline"
                      onClick={() => setOpen(open === s.name ? '' : s.name)}
                    >
                      {s.title} <span className="mono font-normal text-ink-2">{s.name}</span>
                    </button>
                  ) : (
                    <span>
                      {s.title} <span className="mono text-ink-2">{s.name}</span>
                    </span>
                  )}
                </td>
                <td className={s.what === 'wrong' ? 'text-brick' : s.what === 'new' ? 'text-verdigris' : 'text-ink-2'}>
                  {words[s.what]}
                </td>
                {s.what === 'new' ? (
                  <>
                    <td className={`mono ${s.carved ? 'text-plum' : ''}`}>
                      {s.carved ? '↳ ' : ''}
                      {s.blocks}
                    </td>
                    <td className="text-right">{s.networks.length}</td>
                    <td className="max-w-[200px] truncate" title={s.hosts.join(', ')}>
                      {s.hosts.join(', ') || 'none'}
                    </td>
                    <td>{s.cluster?.name ?? 'none'}</td>
                  </>
                ) : (
                  <td colSpan={4} className={`whitespace-normal! ${s.what === 'wrong' ? 'text-brick' : 'text-ink-2'}`}>
                    {s.what === 'there'
                      ? 'nothing of it is changed'
                      : s.faults.slice(0, 4).map((f) => (
                          <span key={`${f.line} ${f.message}`} className="block">
                            line {f.line}: {f.message}
                          </span>
                        ))}
                  </td>
                )}
              </tr>
              {open === s.name && s.what === 'new' && (
                <tr>
                  <td />
                  <td colSpan={6} className="whitespace-normal!">
                    <Opened of={s} />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
        </tbody>
      </table>
      {hidden > 0 && <p className="pt-1 text-ink-2">and {counted(hidden, 'more site')}</p>}
    </>
  );
}

/** Everything that a site of the table would be. */
function Opened({ of: s }: { of: NewSite }) {
  return (
    <div className="grid grid-cols-2 gap-6 py-1.5">
      <div>
        <p className="text-ink-2">{s.domain}</p>
        <table aria-label={`Networks of ${s.name}`}>
          <tbody>
            {s.networks.map((x) => (
              <tr key={x.name}>
                <td className="pr-4">{x.name}</td>
                <td className="mono text-plum">↳ {x.prefix}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <ul aria-label={`Documents of ${s.name}`} className="pt-1 text-ink-2">
          {s.documents
            .filter((d) => !['Network', 'Site'].includes(kindOf(d)))
            .map((d) => (
              <li key={d}>{d}</li>
            ))}
        </ul>
      </div>
      {s.cluster && (
        <div>
          <p>
            {s.cluster.name}: template {s.cluster.template}, version {s.cluster.version}
          </p>
          <ul>
            {s.cluster.answers.map((a) => (
              <li key={a.ask} className="flex gap-2">
                <span className="min-w-0 flex-1 truncate text-ink-2" title={a.ask}>
                  {a.ask}
                </span>
                <span className={`mono ${a.why ? 'text-plum' : ''}`} title={a.why}>
                  {a.why ? '↳ ' : ''}
                  {a.text}
                </span>
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}

const linesText = (lines: readonly number[]): string => {
  const [first = 0] = lines;
  const last = lines.at(-1) ?? first;
  return last === first ? String(first) : last - first + 1 === lines.length ? `${first}–${last}` : lines.join(', ');
};
