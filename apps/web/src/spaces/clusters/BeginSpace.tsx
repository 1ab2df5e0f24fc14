import type { Answered } from '@praesidor/core/template';
import { useMemo, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Asked, optionsOf } from '../../parts/Asked.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';
import { useDraftReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { type Answers, type Begins, useBegun } from './templates.ts';

/** A charter is begun: from a template or from a neighbour by answering what must be its own; or as text. */
export function BeginSpace() {
  const { site, params } = useScope();
  const navigate = useNavigate();
  const estate = useSnapshot().data?.estate;
  const options = useMemo(
    () => [
      ...(estate?.templates ?? []).map((t) => ({ key: `template ${t.name}`, label: `Template ${t.name}, version ${t.version}` })),
      ...(estate?.charters ?? []).map((c) => ({ key: `like ${c.name}`, label: `Like ${c.name}` })),
    ],
    [estate],
  );
  const wish = params.get('template')
    ? `template ${params.get('template')}`
    : params.get('like')
      ? `like ${params.get('like')}`
      : '';
  const [chosen, setChosen] = useState('');
  const from = chosen || wish || options[0]?.key || '';
  const [kind = '', name = ''] = from.split(' ');
  const begins: Begins | undefined = kind === 'template' ? { template: name } : kind === 'like' ? { like: name } : undefined;
  const [answers, setAnswers] = useState<Answers>([]);
  const begun = useBegun(begins, answers, site).data;
  const report = useDraftReport(begun?.charter);
  const answer = (question: string, text: string) =>
    setAnswers((now) => [...now.filter((a) => a.question !== question), ...(text ? [{ question, answer: text }] : [])]);
  const save = useCall<object>(
    () => ({ method: 'POST', path: '/api/import', body: { text: begun?.text, file: 'begun', base: [] } }),
    () => `Charter ${begun?.charter?.name} saved.`,
    [['estate']],
  );
  const lacking = begun?.answers.filter((a) => a.fault).length ?? 0;
  const exists = begun?.charter && estate?.charters.some((c) => c.name === begun.charter?.name);
  return (
    <Space
      space="begin"
      crumbs={
        <Link to={scoped('/clusters', site)} className="hover:underline">
          Clusters
        </Link>
      }
      title="New charter"
      facts={begun?.charter ? `${begun.charter.name} at ${begun.charter.site}` : lacking ? `${lacking} not answered` : ''}
      findings={begun?.charter ? (report.data?.findings ?? []).filter((f) => f.charters.includes(begun.charter?.name ?? '')) : []}
      foot={begun?.charter ? undefined : 'Checked when every question has its answer.'}
      acts={
        <Button
          filled
          disabled={!begun?.charter || exists === true || save.isPending}
          title={exists ? `There is a charter ${begun?.charter?.name} already` : begun?.faults[0]?.message}
          onClick={() =>
            save.mutate(undefined, { onSuccess: () => void navigate(scoped(`/clusters/${begun?.charter?.name}`, site)) })
          }
        >
          Save charter
        </Button>
      }
    >
      <Refused error={save.error} />
      <div className="flex flex-wrap items-baseline gap-3 py-2.5">
        <label className="flex items-baseline gap-2">
          <span className="text-ink-2">From</span>
          <select
            className="border border-rule-2 bg-leaf px-2 py-1"
            value={from}
            onChange={(e) => {
              setChosen(e.target.value);
              setAnswers([]);
            }}
          >
            {options.map((o) => (
              <option key={o.key} value={o.key}>
                {o.label}
              </option>
            ))}
          </select>
        </label>
        <Link to={scoped('/declare?kind=Charter', site)} className="text-verdigris hover:underline">
          or as text, or from a file
        </Link>
      </div>
      {estate && !options.length && <p className="text-ink-2">There is neither a template nor a charter to begin from.</p>}
      {begun && (
        <div className="grid grid-cols-[minmax(0,1.25fr)_minmax(0,1fr)] gap-6">
          <table className="grid-table" aria-label="Questions">
            <thead>
              <tr>
                <th>Asked</th>
                <th>Answer</th>
              </tr>
            </thead>
            <tbody>
              {begun.answers.map((a) => (
                <Asked
                  key={a.question.key}
                  of={a}
                  set={answers.find((x) => x.question === a.question.key)?.answer}
                  options={optionsOf(a.question, estate, String(begun.charter?.site ?? siteOf(begun.answers) ?? site))}
                  onAnswer={(text) => answer(a.question.key, text)}
                />
              ))}
            </tbody>
          </table>
          <section aria-label="Follows from it">
            <h2 className="text-md">Follows from it</h2>
            {begun.charter && report.data ? (
              report.data.plan.follows.map((f) => (
                <div key={f.id} className="flex items-baseline gap-2 pb-1">
                  <span className="w-[112px] shrink-0 text-ink-2">{f.label}</span>
                  <span className={`min-w-0 break-words text-plum ${f.mono ? 'mono whitespace-normal!' : ''}`}>↳ {f.text}</span>
                </div>
              ))
            ) : (
              <ul className="text-ink-2">
                {begun.faults.map((f) => (
                  <li key={f.message}>{f.message}</li>
                ))}
              </ul>
            )}
          </section>
        </div>
      )}
    </Space>
  );
}

const siteOf = (list: readonly Answered[]) => list.find((a) => a.question.sets.includes('site'))?.text;
