import { counted } from '@praesidor/core/words';
import { differences, type Edit, labelOfField } from '@praesidor/core/model';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useMe, useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button, LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { useReport } from '../../state/computed.ts';
import { edited } from '../../state/draft.ts';
import { useDrafts } from '../../state/drafts.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { api } from '../../api/client.ts';
import { computer } from '../../workers/compute.ts';
import { Differs } from './Differs.tsx';
import { Reach } from './Reach.tsx';
import { RolloutDialog } from './RolloutDialog.tsx';
import { RolloutSection, useRollout } from './RolloutSection.tsx';
import { useTemplate, valueText } from './templates.ts';

type Data = NonNullable<ReturnType<typeof useTemplate>['data']>;
const tabs = { clusters: 'Clusters of it', questions: 'Questions', versions: 'Versions' } as const;

/** One template: the clusters that came from it, what it asks, and what its versions change. */
export function TemplatePage() {
  const { name = '' } = useParams();
  const { site, params, setParams } = useScope();
  const [from, setFrom] = useState<number>();
  const data = useTemplate(name, from).data;
  const report = useReport();
  const rollout = useRollout(name).data?.last;
  const [rolling, setRolling] = useState(false);
  const [wanted, setWanted] = useState<{ title: string; edits: Edit[] }>();
  const tab = (Object.keys(tabs) as (keyof typeof tabs)[]).find((t) => t === params.get('tab')) ?? 'clusters';
  const crumbs = (
    <>
      <Link to={scoped('/clusters', site)} className="hover:underline">
        Clusters
      </Link>{' '}
      /{' '}
      <Link to={scoped('/clusters/templates', site)} className="hover:underline">
        Templates
      </Link>
    </>
  );
  if (!data)
    return (
      <Space space="template" crumbs={crumbs} title={name} findings={[]}>
        {data === null && (
          <Empty title={`There is no template ${name}`}>It may have been deleted; its clusters stay as they are.</Empty>
        )}
      </Space>
    );
  const { template, clusters } = data;
  const charters = clusters.flatMap((c) => c.charter ?? []);
  const bare = clusters.filter((c) => !c.charter);
  const findings = (report.data?.findings ?? []).filter(
    (f) =>
      (f.subject.kind === 'Template' && f.subject.name === name) ||
      (f.code.startsWith('TPL') && charters.includes(f.subject.name)),
  );
  return (
    <Space
      space="template"
      crumbs={crumbs}
      title={name}
      facts={`template, version ${template.version} · ${counted(charters.length, 'cluster')}${bare.length ? ` · ${counted(bare.length, 'site')} without a charter` : ''}`}
      findings={findings}
      edits={`Template ${name}`}
      acts={
        <>
          <LinkButton to={scoped(`/declare?edit=${encodeURIComponent(`Template ${name}`)}`, site)}>Edit…</LinkButton>
          <LinkButton filled={!charters.length} to={scoped(`/clusters/new?template=${name}`, site)}>
            New charter from it…
          </LinkButton>
          {charters.length > 0 && (
            <Button filled onClick={() => setRolling(true)}>
              Roll out…
            </Button>
          )}
        </>
      }
    >
      <div role="tablist" className="flex gap-4 border-rule-2 border-b">
        {(Object.keys(tabs) as (keyof typeof tabs)[]).map((t) => (
          <button
            type="button"
            role="tab"
            aria-selected={tab === t}
            key={t}
            onClick={() =>
              setParams((p) => {
                p.set('tab', t);
                return p;
              })
            }
            className={`-mb-px py-2 ${tab === t ? 'border-ink border-b-2 font-semibold' : 'text-ink-2'}`}
          >
            {tabs[t]}
          </button>
        ))}
      </div>
      {tab === 'clusters' && rollout && <RolloutSection template={name} last={rollout} />}
      {tab === 'clusters' && <Clusters data={data} onEdits={(title, edits) => setWanted({ title, edits })} />}
      {tab === 'questions' && <Questions data={data} />}
      {tab === 'versions' && <Versions data={data} onFrom={setFrom} />}
      {rolling && (
        <RolloutDialog
          template={name}
          version={template.version}
          versions={data.versions.map((v) => v.version)}
          clusters={clusters
            .flatMap((c) =>
              c.charter && c.version !== undefined ? [{ charter: c.charter, site: c.site, version: c.version }] : [],
            )
            .sort((a, b) => data.inOrder.indexOf(a.charter) - data.inOrder.indexOf(b.charter))}
          onClose={() => setRolling(false)}
        />
      )}
      {wanted && (
        <EditsDialog title={wanted.title} why={wanted.title} edits={wanted.edits} onClose={() => setWanted(undefined)} />
      )}
    </Space>
  );
}

function Clusters({ data, onEdits }: { data: Data; onEdits: (title: string, edits: Edit[]) => void }) {
  const { site } = useScope();
  const navigate = useNavigate();
  const estate = useSnapshot().data?.estate;
  const { template, clusters, stops } = data;
  const title = (name: string) => estate?.sites.find((s) => s.name === name)?.title ?? name;
  return (
    <>
      <table className="grid-table mt-2" aria-label="Clusters of it">
        <thead>
          <tr>
            <th>Site</th>
            <th>Cluster</th>
            <th>Version</th>
            <th>Differs from version {template.version}</th>
            <th>Images there</th>
            <th>Checks</th>
            <th>State</th>
            <th>Next</th>
          </tr>
        </thead>
        <tbody>
          {clusters.map((c) => {
            const charter = estate?.charters.find((x) => x.name === c.charter);
            const found = c.charter ? (stops[c.charter] ?? { stop: 0, mind: 0 }) : undefined;
            const hosts = estate?.hosts.filter((h) => h.held?.charter === c.charter) ?? [];
            const serves = hosts.some((h) => h.state === 'serving');
            const open = c.answers.filter((a) => a.text === undefined);
            return (
              <tr key={`${c.site} ${c.charter}`} data-row tabIndex={-1}>
                <td className="font-semibold">{title(c.site)}</td>
                <td>
                  {c.charter ? (
                    <Link to={scoped(`/clusters/${c.charter}`, site)} className="hover:underline">
                      {c.charter}
                    </Link>
                  ) : (
                    <span className="text-ink-3">not declared</span>
                  )}
                </td>
                <td>{c.version ?? '—'}</td>
                <td className="max-w-[220px]">
                  {!c.charter ? (
                    '—'
                  ) : c.differs ? (
                    <Differs
                      charter={c.charter}
                      version={template.version}
                      list={c.differs}
                      onPurpose={charter?.template?.onPurpose ?? []}
                      onEdits={onEdits}
                    />
                  ) : (
                    <span className="text-ochre" title={c.unknown}>
                      not known
                    </span>
                  )}
                </td>
                <td>
                  {c.images ? (
                    <span className="flex items-center gap-1.5 whitespace-nowrap">
                      <Mark kind={c.images.has >= c.images.of ? 'done' : c.images.has ? 'half' : 'free'} />
                      {c.images.has >= c.images.of
                        ? c.images.release
                        : `${Math.floor((100 * c.images.has) / c.images.of)} % of ${c.images.release}`}
                    </span>
                  ) : (
                    <span className="flex items-center gap-1.5 text-ink-3">
                      <Mark kind="free" />
                      {c.charter ? 'not known' : ''}
                    </span>
                  )}
                </td>
                <td>
                  {found && (
                    <span className="flex items-center gap-1.5 whitespace-nowrap">
                      <Mark kind={found.stop ? 'failing' : 'done'} />
                      {found.stop ? counted(found.stop, 'stop') : found.mind ? `${found.mind} mind` : 'hold'}
                    </span>
                  )}
                </td>
                <td>
                  {c.charter && (
                    <span className="flex items-center gap-1.5">
                      <Mark kind={serves ? 'done' : hosts.length ? 'half' : 'free'} />
                      {serves ? 'serving' : hosts.length ? 'held' : 'declared'}
                    </span>
                  )}
                </td>
                <td className="whitespace-nowrap">
                  {!c.charter ? (
                    <Link
                      to={`/clusters/new?template=${template.name}&site=${c.site}`}
                      className="font-semibold text-verdigris hover:underline"
                    >
                      {open.length ? `Answer ${counted(open.length, 'question')}…` : 'New charter…'}
                    </Link>
                  ) : c.version !== undefined && c.version < template.version ? (
                    <Bring
                      charter={c.charter}
                      version={template.version}
                      onDone={() => void navigate(scoped(`/clusters/${c.charter}`, site))}
                    />
                  ) : null}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {data.reach && data.before !== undefined && (
        <>
          <h2 className="mt-5 text-lg">
            What version {data.after} changes against {data.before}
          </h2>
          <Reach reach={data.reach} before={data.before} after={data.after ?? template.version} />
        </>
      )}
    </>
  );
}

/** A charter brought to the version that stands: as a draft, which shows its consequences before anything is saved. */
function Bring({ charter, version, onDone }: { charter: string; version: number; onDone: () => void }) {
  const me = useMe().data;
  const setDraft = useDrafts((s) => s.setFields);
  const [failed, setFailed] = useState('');
  const bring = async () => {
    const next = await computer().brought(charter, version);
    if (!next) return setFailed('an answer is lacking');
    const stands = await api<{ doc: typeof next; version: number }>('GET', `/api/charters/${charter}`);
    setDraft(
      `${me?.login} Charter ${charter}`,
      edited(stands.doc, undefined, next, { version: stands.version, at: new Date().toISOString() }),
    );
    onDone();
  };
  return failed ? (
    <span className="text-ochre">{failed}</span>
  ) : (
    <button
      type="button"
      className="font-semibold text-verdigris hover:underline"
      onClick={() => void bring().catch((e: Error) => setFailed(e.message))}
    >
      Bring to {version}…
    </button>
  );
}

function Questions({ data }: { data: Data }) {
  const { template, clusters } = data;
  const shown = clusters.filter((c) => c.charter).slice(0, 4);
  return (
    <>
      <p className="pt-2 text-ink-2">Each cluster answers these; everything else follows or is fixed.</p>
      <table className="grid-table mt-2" aria-label="Questions">
        <thead>
          <tr>
            <th>Asked</th>
            <th>Fills</th>
            {shown.map((c) => (
              <th key={c.charter}>{c.charter}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {template.questions.map((q) => (
            <tr key={q.key}>
              <td>
                {q.ask}
                {q.help && <div className="text-ink-3 text-sm">{q.help}</div>}
              </td>
              <td className="mono text-sm">{q.sets.join(', ')}</td>
              {shown.map((c) => {
                const a = c.answers.find((x) => x.question.key === q.key);
                return (
                  <td key={c.charter} title={a?.why}>
                    {a?.fault ? (
                      <span className="text-brick">{a.text === undefined ? 'not answered' : `${a.text}: ${a.fault}`}</span>
                    ) : a?.why ? (
                      <span className="text-plum">↳ {a.text}</span>
                    ) : (
                      a?.text
                    )}
                    {a?.has !== undefined && a.has !== a.text && <div className="text-sm">has {a.has}</div>}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="mt-5 text-lg">Fixed</h2>
      <table className="grid-table mt-1" aria-label="Fixed fields">
        <tbody>
          {differences(null, template.charter).map((d) => (
            <tr key={d.path.join('.')}>
              <td className="w-[180px]" title={d.path.join('.')}>
                {labelOfField('Charter', d.path)}
              </td>
              <td className="mono max-w-[560px] truncate" title={valueText(d.after)}>
                {valueText(d.after)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Versions({ data, onFrom }: { data: Data; onFrom: (v: number) => void }) {
  const { template, versions, clusters } = data;
  const [newest] = versions;
  return (
    <>
      <table className="grid-table mt-2" aria-label="Versions">
        <thead>
          <tr>
            <th>Version</th>
            <th>What it changes</th>
            <th>Clusters</th>
            <th>Compare</th>
          </tr>
        </thead>
        <tbody>
          {versions.map((v) => (
            <tr key={v.version}>
              <td className="font-semibold">{v.version}</td>
              <td>{v.note ?? ''}</td>
              <td>
                {clusters
                  .filter((c) => c.version === v.version)
                  .map((c) => c.charter)
                  .join(', ')}
              </td>
              <td>
                {v !== newest && (
                  <button
                    type="button"
                    className="font-semibold text-verdigris hover:underline"
                    aria-pressed={data.before === v.version}
                    onClick={() => onFrom(v.version)}
                  >
                    {data.before === v.version ? `shown below against ${template.version}` : `Against ${template.version}`}
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {data.reach && data.before !== undefined ? (
        <>
          <h2 className="mt-5 text-lg">
            What version {data.after} changes against {data.before}
          </h2>
          <Reach reach={data.reach} before={data.before} after={data.after ?? template.version} />
        </>
      ) : (
        <p className="pt-3 text-ink-2">There is one version. When questions or fixed fields change, the one before is kept.</p>
      )}
    </>
  );
}
