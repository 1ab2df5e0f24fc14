import type { ClusterApplication, ClusterApplications } from '@praesidor/contract';
import { takesAway } from '@praesidor/core/applications';
import type { Addon, Charter } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark, type MarkKind } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useMay } from '../../state/may.ts';
import { scoped } from '../../state/scope.ts';
import { InstallDialog } from './InstallDialog.tsx';
import { ManifestsDialog } from './ManifestsDialog.tsx';

type Part = ClusterApplication['parts'][number];
const states: Record<ClusterApplication['state'], [mark: MarkKind, text: string]> = {
  planned: ['free', 'not installed yet'],
  'comes-up': ['half', 'not all of it runs'],
  runs: ['done', 'runs'],
  leaves: ['hatched', 'to be taken away'],
  'not-known': ['sighted', 'not known'],
};
const parts: Record<Part['state'], [mark: MarkKind, text: string]> = {
  runs: ['done', 'runs'],
  'comes-up': ['half', 'comes up'],
  there: ['done', 'is there'],
  absent: ['free', 'is not there'],
  'not-known': ['sighted', 'not known'],
};
/** While a change goes on, milliseconds between two questions. */
const again = 3000;

/** What is installed in a cluster beside what its release brings: from the catalogue of add-ons, or from manifests of somebody's own. */
export default function ApplicationsTab({
  charter,
  editing,
  busy,
  due,
}: {
  charter: Charter;
  /** There is a draft of the charter. */
  editing: boolean;
  /** A change of the cluster goes on. */
  busy: boolean;
  due: { label: string } | undefined;
}) {
  const { name, site } = charter;
  const leave = useMay();
  const addons = useSnapshot().data?.estate.addons ?? [];
  const [dialog, setDialog] = useState<ReactNode>(null);
  const close = () => setDialog(null);
  const { data, error, isFetching, refetch } = useQuery({
    queryKey: ['applications', name],
    queryFn: () => api<ClusterApplications>('GET', `/api/charters/${name}/applications`),
    retry: false,
    refetchOnWindowFocus: false,
    refetchInterval: busy ? again : false,
  });
  const list = data?.applications ?? [];
  const waits = list.filter((a) => a.state === 'planned' || a.state === 'leaves').length;
  const may = leave.may('charters.save') && !editing;
  const why = editing ? 'Save or discard the draft of this charter first.' : leave.why('charters.save');
  const install = (
    <>
      <Button disabled={!may} title={why} onClick={() => setDialog(<ManifestsDialog charter={charter} onClose={close} />)}>
        Install manifests…
      </Button>
      <Button
        filled={!waits}
        disabled={!may}
        title={why}
        onClick={() => setDialog(<InstallDialog charter={charter} onClose={close} />)}
      >
        Install…
      </Button>
    </>
  );
  const away = (a: ClusterApplication, addon: Addon | undefined) =>
    setDialog(
      <EditsDialog
        title={`Take ${addon?.title ?? a.addon} away from ${name}`}
        about="Its programs and objects go with the next change. Volumes that its claims hold stay, and so do namespaces that something else lies in."
        edits={takesAway(charter, a.addon ?? '')}
        why={`take ${a.addon} away from ${name}`}
        label="Take away"
        done={`${addon?.title ?? a.addon} is taken away with the next change of ${name}.`}
        onClose={close}
      />,
    );
  return (
    <section aria-label="Applications" className="pt-4">
      <div className="flex items-center gap-2 pb-1">
        <p className="mr-auto text-ink-2">
          {data && (
            <>
              {data.by === undefined
                ? `${name} does not stand: what is here comes with its build`
                : data.silent
                  ? `${name} was not asked: ${data.silent}`
                  : `${list.filter((a) => a.state === 'runs').length} of ${counted(list.length, 'application')} ${list.length === 1 ? 'runs' : 'run'}, told by ${name}`}
              , <When at={data.at} />
            </>
          )}
        </p>
        <Button disabled={isFetching} onClick={() => void refetch()}>
          Look again
        </Button>
        {list.length > 0 && install}
      </div>
      <Refused error={error} />
      {waits > 0 && data?.by !== undefined && (
        <p className="my-2 border-ochre border-l-[3px] px-3 py-1" role="status">
          {busy ? (
            'A change goes on: what it installs comes up here, part by part.'
          ) : (
            <>
              <b>
                {counted(waits, 'application')} {waits === 1 ? 'waits' : 'wait'} for a change.
              </b>{' '}
              {due && (
                <Link to={scoped(`/clusters/${name}/change`, site)} className="text-verdigris hover:underline">
                  {due.label}…
                </Link>
              )}
            </>
          )}
        </p>
      )}
      {data && list.length === 0 && (
        <Empty title="No application" act={<div className="flex gap-2">{install}</div>}>
          An application is an add-on of the catalogue, or manifests of your own. Its images come into the bill of {name} first.
        </Empty>
      )}
      {list.length > 0 && (
        <table className="grid-table" aria-label="Applications">
          <thead>
            <tr>
              <th>Application</th>
              <th>State</th>
              <th>Parts</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.map((a) => {
              const addon = addons.find((x) => x.name === a.addon);
              const [mark, text] = states[a.state];
              return (
                <tr key={a.addon ?? ''} className="align-top">
                  <td className="whitespace-normal!">
                    <span className="font-semibold">{addon?.title ?? a.addon ?? 'Without an add-on'}</span>
                    <span className="block text-ink-2 text-sm">
                      {addon ? `${addon.name}, version ${addon.version}` : 'The estate has no add-on for it any more.'}
                    </span>
                  </td>
                  <td className="whitespace-normal!">
                    <Mark kind={a.state === 'comes-up' && a.parts.some((p) => p.why) ? 'failing' : mark} /> {text}
                  </td>
                  <td className="whitespace-normal!">
                    <Parts of={a} />
                  </td>
                  <td className="text-right">
                    {a.state !== 'leaves' && addon && (
                      <span className="flex justify-end gap-3">
                        {addon.questions?.length ? (
                          <Act
                            may={may}
                            why={why}
                            onClick={() => setDialog(<InstallDialog charter={charter} of={addon} onClose={close} />)}
                          >
                            Answers…
                          </Act>
                        ) : null}
                        <Act may={may} why={why} onClick={() => away(a, addon)}>
                          Take away…
                        </Act>
                      </span>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {dialog}
    </section>
  );
}

const Act = ({
  may,
  why,
  onClick,
  children,
}: {
  may: boolean;
  why: string | undefined;
  onClick: () => void;
  children: ReactNode;
}) => (
  <button
    type="button"
    className="text-verdigris hover:underline disabled:text-ink-3 disabled:no-underline"
    disabled={!may}
    title={why}
    onClick={onClick}
  >
    {children}
  </button>
);

/** What is amiss is told at once, the rest by a click. */
function Parts({ of: { parts: all, state } }: { of: ClusterApplication }) {
  if (state === 'planned') return <span className="text-ink-2">come with the next change</span>;
  if (!all.length) return <span className="text-ink-2">images alone</span>;
  const amiss = all.filter((p) => p.state !== 'runs' && p.state !== 'there');
  const rest = all.filter((p) => !amiss.includes(p));
  return (
    <>
      {amiss.map((p) => (
        <PartLine key={`${p.kind} ${p.namespace} ${p.name}`} of={p} />
      ))}
      {rest.length > 0 && (
        <details>
          <summary className="cursor-pointer text-ink-2">
            {amiss.length
              ? `${rest.length} of ${all.length} as they should be`
              : all.length === 1
                ? '1 part, as it should be'
                : `all ${all.length} as they should be`}
          </summary>
          {rest.map((p) => (
            <PartLine key={`${p.kind} ${p.namespace} ${p.name}`} of={p} />
          ))}
        </details>
      )}
    </>
  );
}
function PartLine({ of: p }: { of: Part }) {
  const [mark, text] = parts[p.state];
  return (
    <div className="flex gap-2">
      <Mark kind={p.why ? 'failing' : mark} />
      <span className="min-w-0">
        {p.kind}{' '}
        <span className="mono whitespace-normal!">
          {p.namespace ? `${p.namespace}/` : ''}
          {p.name}
        </span>{' '}
        {text}
        {p.wanted !== undefined && (p.state === 'comes-up' || p.state === 'runs') && ` ${p.ready} of ${p.wanted}`}
        {p.why && <span className="block text-brick">{p.why}</span>}
      </span>
    </div>
  );
}
