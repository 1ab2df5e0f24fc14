import {
  hostsToml,
  mergePullSecrets,
  mirrorRules,
  placesOfAuthority,
  placesOfCredential,
  readHostsToml,
  readRegistriesConf,
  registriesConf,
} from '@praesidor/core/images';
import type { Bill, Charter, Estate, Registry } from '@praesidor/core/model';
import { useState } from 'react';
import { useMe, useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/Bastion.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { day } from '../../parts/time.ts';
import { useReport } from '../../state/computed.ts';
import { useScope } from '../../state/scope.ts';
import { KitDialog } from './KitDialog.tsx';
import { SubNav } from './SubNav.tsx';

const anchor = '/etc/praesidor/trust/mirror-ca.crt';

/** What every node of a cluster is told: which name is asked of whom, over which trust, with which credentials. */
export function RulesSpace() {
  const { site, inScope, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const charters = (estate?.charters ?? []).filter((c) => inScope(c.site));
  const charter = charters.find((c) => c.name === params.get('charter')) ?? charters[0];
  const findings = (report.data?.findings ?? []).filter(
    (f) => inScope(f.site) && ['IMG-002', 'IMG-003', 'KEY-001'].includes(f.code),
  );
  return (
    <Space
      space="rules"
      title="Rules and trust"
      crumbs={<SubNav site={site} />}
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

function rulesOf(estate: Estate, charter: Charter) {
  const mirror = estate.registries.find((r) => r.name === charter.mirror);
  const bills = [charter.release, ...charter.addons].flatMap((n): Bill[] =>
    estate.observed.bills[n] ? [estate.observed.bills[n]] : [],
  );
  return { mirror, rules: mirror ? mirrorRules(bills, mirror) : [] };
}

function Rules({ estate, charter }: { estate: Estate; charter: Charter }) {
  const { mirror, rules } = rulesOf(estate, charter);
  const [form, setForm] = useState<'hosts.toml' | 'registries.conf'>('hosts.toml');
  const [read, setRead] = useState<{ name: string; text: string }>();
  const access = mirror?.ca ? { ca: anchor } : {};
  const text =
    form === 'registries.conf'
      ? registriesConf(rules)
      : rules
          .map((r) => hostsToml(r.source, r.mirror, { ...access, ...(mirror?.credential ? { authorization: 'Basic …' } : {}) }))
          .join('\n');
  const other =
    read && (read.text.includes('[[registry') ? readRegistriesConf(read.text) : readHostsToml(rules[0]?.source ?? '', read.text));
  return (
    <section aria-label="Mirror rules">
      <table className="grid-table mt-2" aria-label="Rules">
        <thead>
          <tr>
            <th>Names that begin with</th>
            <th>are asked of</th>
            <th>over the trust</th>
            <th>as</th>
          </tr>
        </thead>
        <tbody>
          {rules.map((r) => (
            <tr key={r.source}>
              <td className="mono">{r.source}</td>
              <td className="mono follows">↳ {r.mirror}</td>
              <td>{mirror?.ca ? anchor : <span className="text-brick">none declared</span>}</td>
              <td>{mirror?.credential ?? 'anybody'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="py-1.5 text-ink-2">
        Manifests keep their original image names; the runtime on each node redirects the pull. What the mirror does not have is
        asked of nobody else.
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
      <pre className="mono mt-1 max-h-44 overflow-auto whitespace-pre border border-rule-2 bg-leaf px-3 py-2">{text}</pre>
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
          {other.unread.length > 0 && <div className="text-ink-2">Not understood, and left alone: {other.unread.join(', ')}</div>}
        </div>
      )}
    </section>
  );
}

function Trust({ registries, estate }: { registries: Registry[]; estate: Estate }) {
  const [kit, setKit] = useState<Registry>();
  const warden = useMe().data?.role === 'warden';
  return (
    <section aria-label="Trust">
      <h2 className="pt-4 pb-1 text-lg">Certificates</h2>
      <table className="grid-table" aria-label="Certificates">
        <thead>
          <tr>
            <th>Registry</th>
            <th>Names</th>
            <th>Signed by</th>
            <th>Until</th>
            <th>Verdict</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {registries.map((r) => {
            const c = estate.observed.registries[r.name]?.certificate;
            const host = r.endpoint.split(':')[0] ?? '';
            const days = c ? Math.ceil((Date.parse(c.notAfter) - Date.parse(estate.now)) / 86_400_000) : 0;
            const wrong = !c
              ? 'not seen yet'
              : !c.names.includes(host)
                ? `does not name ${host}`
                : !c.trusted
                  ? 'signed by nobody that is trusted here'
                  : days <= 0
                    ? 'ended'
                    : undefined;
            return (
              <tr key={r.name}>
                <td className="font-semibold">
                  {r.name}
                  <At kind="Registry" name={r.name} />
                </td>
                <td className="mono max-w-[230px] truncate" title={c?.names.join(', ')}>
                  {c?.names.join(', ') ?? '—'}
                </td>
                <td>{c?.issuer ?? '—'}</td>
                <td>{c ? `${day(c.notAfter)}${days < 60 ? `, in ${days} days` : ''}` : '—'}</td>
                <td>
                  <span className="flex items-center gap-1.5">
                    <Mark kind={wrong ? (c ? 'failing' : 'sighted') : 'done'} />
                    {wrong ?? 'verifies'}
                  </span>
                </td>
                <td className="text-right">
                  {warden && r.role !== 'source' && (
                    <button type="button" className="font-semibold text-verdigris hover:underline" onClick={() => setKit(r)}>
                      Kit…
                    </button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {kit && <KitDialog registry={kit} onClose={() => setKit(undefined)} />}
    </section>
  );
}

/** Auth files opened here, joined in the page: nothing of them is sent anywhere. */
function Secrets({ estate, charter }: { estate: Estate; charter: Charter }) {
  const [files, setFiles] = useState<{ name: string; text: string }[]>([]);
  const [prefer, setPrefer] = useState<Record<string, string>>({});
  const { mirror } = rulesOf(estate, charter);
  const merged = mergePullSecrets(files, mirror ? [mirror.endpoint] : [], prefer);
  return (
    <section aria-label="Pull secret">
      <div className="flex items-baseline gap-3 pt-4 pb-1">
        <h2 className="text-lg">Pull secret</h2>
        <span className="text-ink-2">joined from several auth files, in this page: nothing of them is sent anywhere</span>
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
              Copy the joined secret
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
