import { mergePullSecrets, placesOfAuthority, placesOfCredential } from '@praesidor/core/images';
import type { Charter, Estate } from '@praesidor/core/model';
import { useState } from 'react';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { useReport } from '../../state/computed.ts';
import { useScope } from '../../state/scope.ts';
import { Rules } from './Rules.tsx';
import { rulesOf } from './rules-of.ts';
import { SubNav } from './SubNav.tsx';
import { Installations } from './Installations.tsx';
import { Trust } from './Trust.tsx';

/** What every node of a cluster is told: which name is asked of whom, over which trust, with which credentials. */
export function RulesSpace() {
  const { site, inScope, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const charters = (estate?.charters ?? []).filter((c) => inScope(c.site));
  const charter = charters.find((c) => c.name === params.get('charter')) ?? charters[0];
  const findings = (report.data?.findings ?? []).filter(
    (f) => inScope(f.site) && ['IMG-002', 'IMG-003', 'IMG-011', 'KEY-001'].includes(f.code),
  );
  return (
    <Space
      space="rules"
      title="Rules and trust"
      sheets={<SubNav site={site} />}
      facts={charter ? `${charter.name} pulls from ${charter.mirror}` : ''}
      findings={findings}
      acts={
        <select
          aria-label="cluster"
          value={charter?.name ?? ''}
          onChange={(e) =>
            setParams((q) => {
              q.set('charter', e.target.value);
              return q;
            })
          }
          className="border border-rule-2 bg-leaf px-2 py-1"
        >
          {charters.map((c) => (
            <option key={c.name}>{c.name}</option>
          ))}
        </select>
      }
      extra={estate && charter && <Rotation estate={estate} charter={charter} />}
    >
      {estate && charter ? (
        <>
          <Rules estate={estate} charter={charter} />
          <Trust registries={estate.registries.filter((r) => inScope(r.site))} estate={estate} />
          <Installations />
          <Secrets estate={estate} charter={charter} />
        </>
      ) : (
        <Empty title="No cluster is declared">
          Mirror rules follow from a charter: its bills name the sources, its mirror answers.
        </Empty>
      )}
    </Space>
  );
}

/** Auth files opened here, joined in the page: nothing of them is sent anywhere. */
function Secrets({ estate, charter }: { estate: Estate; charter: Charter }) {
  const [files, setFiles] = useState<{ name: string; text: string }[]>([]);
  const [prefer, setPrefer] = useState<Record<string, string>>({});
  const { mirror } = rulesOf(estate, charter);
  const merged = mergePullSecrets(files, mirror ? [mirror.endpoint] : [], prefer);
  return (
    <section aria-label="Pull credentials">
      <div className="flex items-baseline gap-3 pt-4 pb-1">
        <h2 className="text-lg">Pull credentials</h2>
        <span className="text-ink-2">merged from several auth files, in this page: nothing of them is sent anywhere</span>
        <span className="ml-auto" />
        <FilePicker accept=".json" onText={(text) => setFiles((f) => [...f, { name: `file ${f.length + 1}`, text }])} />
      </div>
      {files.length > 0 && (
        <div className="border-rule border-t pt-1.5">
          {merged.faults.map((f) => (
            <div key={f.file + f.registry + f.why} className="text-brick">
              {f.file}
              {f.registry ? `, ${f.registry}` : ''}: {f.why}
            </div>
          ))}
          {merged.conflicts.map((c) => (
            <div key={c.registry} className="text-ochre">
              <span className="mono">{c.registry}</span>: {c.says.map((s) => `${s.file} says ${s.user}`).join(', ')}; take{' '}
              {c.says.map((s) => (
                <button
                  key={s.file}
                  type="button"
                  className="mr-2 font-semibold text-verdigris"
                  onClick={() => setPrefer({ ...prefer, [c.registry]: s.file })}
                >
                  {s.file}
                </button>
              ))}
            </div>
          ))}
          {merged.missing.map((m) => (
            <div key={m} className="text-brick">
              <span className="mono">{m}</span>: no file knows it, and {charter.name} pulls from there
            </div>
          ))}
          {merged.entries.map((e) => (
            <div key={e.registry}>
              <span className="mono">{e.registry}</span> as {e.user}, from {e.from.join(' and ')}
            </div>
          ))}
          <div className="flex gap-4 pt-1.5">
            <Copy text={JSON.stringify({ auths: merged.auths })} className="font-semibold text-verdigris">
              Copy the merged credentials
            </Copy>
            <button type="button" className="text-ink-2" onClick={() => setFiles([])}>
              Forget the files
            </button>
          </div>
        </div>
      )}
    </section>
  );
}

/** What must change, and where, when the password or the authority of the mirror does. */
function Rotation({ estate, charter }: { estate: Estate; charter: Charter }) {
  const mirror = estate.registries.find((r) => r.name === charter.mirror);
  if (!mirror) return null;
  return (
    <>
      {mirror.credential && (
        <MarginPart title={`When ${mirror.credential} changes`}>
          <ol className="list-decimal pl-5">
            {placesOfCredential(estate, mirror.credential).map((p) => (
              <li key={p.text}>{p.text}</li>
            ))}
          </ol>
        </MarginPart>
      )}
      <MarginPart title="When its authority changes">
        <ol className="list-decimal pl-5">
          {placesOfAuthority(estate, mirror.name).map((p) => (
            <li key={p.text}>{p.text}</li>
          ))}
        </ol>
      </MarginPart>
    </>
  );
}
