import { hostsFiles, readHostsToml, readRegistriesConf, registriesConf } from '@praesidor/core/images';
import type { Charter, Edit, Estate, Registry } from '@praesidor/core/model';
import { lazy, Suspense, useState } from 'react';
import { Copy } from '../../parts/Copy.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { rulesOf } from './rules-of.ts';

const EditsDialog = lazy(() => import('../../frame/EditsDialog.tsx'));
const anchor = '/etc/praesidor/trust/mirror-ca.crt';

/** What each node is told, in the form its runtime reads; under which path the mirror keeps what; what another file says. */
export function Rules({ estate, charter }: { estate: Estate; charter: Charter }) {
  const { mirror, rules } = rulesOf(estate, charter);
  const [form, setForm] = useState<'hosts.toml' | 'registries.conf'>('hosts.toml');
  const [read, setRead] = useState<{ name: string; text: string }>();
  const [edit, setEdit] = useState<Edit>();
  const files = hostsFiles(rules, {
    ...(mirror?.ca ? { ca: anchor } : {}),
    ...(mirror?.credential ? { authorization: 'Basic …' } : {}),
  });
  const text = form === 'registries.conf' ? registriesConf(rules) : files.map((f) => f.text).join('\n');
  const other =
    read && (read.text.includes('[[registry') ? readRegistriesConf(read.text) : readHostsToml(rules[0]?.source ?? '', read.text));
  return (
    <section aria-label="Mirror rules">
      <table className="grid-table mt-2" aria-label="Rules">
        <thead>
          <tr>
            <th>Prefix</th>
            <th>Mirror</th>
            <th>CA</th>
            <th>Credential</th>
          </tr>
        </thead>
        <tbody>
          {rules.map((r) => (
            <tr key={r.source}>
              <td className="mono">{r.source}</td>
              <td className="mono">
                <span className="follows">↳ {mirror?.endpoint}</span>
                {mirror && <Below at={mirror} source={r.source} onEdit={setEdit} />}
              </td>
              <td>{mirror?.ca ? anchor : <span className="text-brick">none declared</span>}</td>
              <td>{mirror?.credential ?? 'anybody'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="py-1.5 text-ink-2">
        Manifests keep their original image names; the runtime on each node redirects the pull. An image that the mirror does not
        have is not pulled from anywhere else.
      </p>
      <div className="flex items-center gap-3">
        {(['hosts.toml', 'registries.conf'] as const).map((f) => (
          <button
            key={f}
            type="button"
            aria-pressed={form === f}
            className={form === f ? 'border-ink border-b-2 font-semibold' : 'text-verdigris hover:underline'}
            onClick={() => setForm(f)}
          >
            {f}
          </button>
        ))}
        <span className="ml-auto" />
        <Copy text={text} className="font-semibold text-verdigris">
          Copy
        </Copy>
        <FilePicker accept=".toml,.conf" onText={(t) => setRead({ name: 'the file', text: t })} />
      </div>
      <pre
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what is scrolled must be reached with the keyboard
        tabIndex={0}
        className="mono mt-1 max-h-44 overflow-auto whitespace-pre border border-rule-2 bg-leaf px-3 py-2"
      >
        {text}
      </pre>
      {other && (
        <div role="status" className="mt-2 border-rule-2 border-l-[3px] px-3 py-1.5">
          <b>The file that was opened</b>
          {other.faults.map((f) => (
            <div key={f.message} className="text-brick">
              {f.line > 1 || f.column > 1 ? `line ${f.line}, column ${f.column}: ` : ''}
              {f.message}
            </div>
          ))}
          {other.rules.map((r) => {
            const same = rules.some((x) => x.source === r.source && x.mirror === r.mirror);
            return (
              <div key={r.source + r.mirror} className={same ? '' : 'text-ochre'}>
                <span className="mono">
                  {r.source} → {r.mirror}
                </span>{' '}
                {same ? 'as planned' : 'is not what follows here'}
              </div>
            );
          })}
          {other.unread.length > 0 && <div className="text-ink-2">Not understood and ignored: {other.unread.join(', ')}</div>}
        </div>
      )}
      {edit && mirror && (
        <Suspense fallback={null}>
          <EditsDialog
            title={`Where ${mirror.name} keeps images`}
            about="Running nodes go on asking where they were told to: ship the images to their new path before you carry the new files to them."
            edits={[edit]}
            why={`${mirror.name} keeps images elsewhere`}
            onClose={() => setEdit(undefined)}
          />
        </Suspense>
      )}
    </section>
  );
}

/** The path below which a mirror keeps a source: set, or following from the images' own names. Edited in place. */
function Below({ at, source, onEdit }: { at: Registry; source: string; onEdit: (e: Edit) => void }) {
  const [typed, setTyped] = useState<string>();
  const under = at.keeps?.find((k) => k.source === source)?.under;
  const done = (text: string) => {
    setTyped(undefined);
    const next = text.trim().replace(/^\/+|\/+$/g, '');
    if (next === (under ?? '')) return;
    const rest = (at.keeps ?? []).filter((k) => k.source !== source);
    const keeps = next ? [...rest, { source, under: next }] : rest;
    onEdit({ op: 'set', kind: 'Registry', key: at.name, path: ['keeps'], value: keeps.length ? keeps : undefined });
  };
  if (typed === undefined)
    return (
      <>
        /
        <button
          type="button"
          className={under ? 'set' : 'set text-ink-3'}
          aria-label={`${under ?? 'its own path'}: where ${at.name} keeps ${source}, edit`}
          onClick={() => setTyped(under ?? '')}
        >
          {under ?? 'its own path'}
        </button>
      </>
    );
  return (
    <>
      /
      <input
        // biome-ignore lint/a11y/noAutofocus: the person has just asked to edit this value
        autoFocus
        aria-label={`below which path ${at.name} keeps ${source}`}
        value={typed}
        placeholder="its own path"
        title="Enter shows what it changes, Escape takes back"
        className="w-40 border border-rule-2 bg-leaf px-1"
        onChange={(e) => setTyped(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            // The same key would press what the dialog puts under it.
            e.preventDefault();
            done(typed);
          }
          if (e.key === 'Escape') setTyped(undefined);
        }}
      />
    </>
  );
}
