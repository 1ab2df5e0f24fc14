import type { Plan } from '@praesidor/core/charter';
import type { ChangeName } from '@praesidor/core/changes';
import { bytesText, counted } from '@praesidor/core/words';
import { useState } from 'react';
import { Link } from 'react-router';
import { useBuild, useBuilds, useEtcdBackups, useProof, useSnapshot } from '../../api/queries.ts';
import { Copy } from '../../parts/Copy.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { When } from '../../parts/When.tsx';
import { scoped, useScope } from '../../state/scope.ts';
import { useMay } from '../../state/may.ts';
import { ProofTable } from '../builds/ProofTable.tsx';
import { KubeconfigDialog } from './KubeconfigDialog.tsx';
import { MadeTable } from './MadeTable.tsx';
import { Standing } from './Standing.tsx';

/** Changes that follow from nothing and are asked for, each with what it is: they are shown before anything is done. */
function FurtherChanges({ name, list }: { name: string; list: [kind: ChangeName, label: string, what: string][] }) {
  const { site } = useScope();
  if (!list.length) return null;
  return (
    <>
      <h2 className="pt-5 pb-1 text-lg">Further changes</h2>
      <ul>
        {list.map(([kind, label, what]) => (
          <li key={kind} className="py-0.5">
            <Link
              className="font-semibold text-verdigris hover:underline"
              to={scoped(`/clusters/${name}/change?kind=${kind}`, site)}
            >
              {label}
            </Link>{' '}
            <span className="text-ink-2">{what}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** What was measured after the build, and everything that is handed over, in one place. */
export default function ProofTab({ name, plan }: { name: string; plan: Plan | undefined }) {
  const builds = useBuilds();
  const { site } = useScope();
  const own = builds.data?.filter((b) => b.charter === name);
  // The last that came to its end: one that runs, or failed, has proved nothing.
  const last = own?.find((b) => b.state === 'done') ?? own?.[0];
  const standing = useProof(name);
  const backups = useEtcdBackups(name);
  const build = useBuild(name, String(last?.number ?? 0));
  const proof = last ? build.data?.proof : undefined;
  const [taking, setTaking] = useState(false);
  const may = useMay().may('clusters.access');
  const hosts = useSnapshot().data?.estate.hosts.filter((h) => h.held?.charter === name) ?? [];
  const stands = hosts.some((h) => h.state === 'serving');
  /** Of a cluster that was taken down: what lies on their drives is there still. */
  const keeps = hosts.filter((h) => h.state === 'held' && h.held?.installed).length;
  /** Somebody else built it: it was taken in, or that has not come to its end. */
  const elsewhere = hosts.some((h) => h.held?.elsewhere) || (!stands && own?.[0]?.kind === 'take-in');
  const released: [ChangeName, string, string][] = [
    ['release', `Release ${name}…`, 'it runs on, and its hosts are free here: shows first what that means'],
  ];
  if (!last || !proof)
    return (
      <>
        <Empty title="Nothing is proved yet">
          The last step of a build measures that what stands is what was planned; its lines and their evidence are kept here.
        </Empty>
        {elsewhere && <FurtherChanges name={name} list={released} />}
      </>
    );
  // Of a cluster that was taken in, what it publishes is known where it was built.
  const publishes: [string, string][] =
    plan && !elsewhere
      ? [
          ['Published applications', plan.inbound.name],
          ['Inbound address', plan.inbound.address],
          ['Service pool', plan.charter.servicePool?.range ?? '—'],
          ['Mirror', plan.mirror?.endpoint ?? '—'],
        ]
      : [];
  const out: [string, string][] =
    plan && stands
      ? [
          ['API', `https://${plan.api.name}:${plan.api.port}`],
          ['API address', plan.api.address],
          ...publishes,
          ['Nodes', plan.nodes.map((n) => `${n.host} ${n.address}`).join(', ')],
        ]
      : [];
  return (
    <div className="pt-3">
      <h2 className="text-lg">Outputs</h2>
      {!stands && <p className="text-ink-2">No host serves {name}: it has no outputs.</p>}
      {stands && (
        <table className="grid-table">
          {
            <tbody>
              {out.map(([k, v]) => (
                <tr key={k}>
                  <td className="w-48 text-ink-2">{k}</td>
                  <td>
                    <Copy text={v} className="mono whitespace-normal! text-left" />
                  </td>
                </tr>
              ))}
              <tr>
                <td className="text-ink-2">kubeconfig</td>
                {elsewhere ? (
                  <td className="text-ink-2">
                    That of where it was built: the key of its authority is not here, so none is issued from here
                  </td>
                ) : (
                  <td>
                    <button
                      type="button"
                      className="font-semibold text-verdigris hover:underline"
                      onClick={() => setTaking(true)}
                    >
                      Take a kubeconfig…
                    </button>{' '}
                    <span className="text-ink-2">in your name, of one role, with an end</span>
                  </td>
                )}
              </tr>
            </tbody>
          }
        </table>
      )}
      {taking && <KubeconfigDialog name={name} onClose={() => setTaking(false)} />}
      <h2 className="pt-5 pb-1 text-lg">
        Proof{' '}
        <span className="font-normal font-sans text-[13px] text-ink-2">
          {stands && standing.data?.lines.length ? 'measured again and again since ' : 'of '}
          <Link className="hover:underline" to={scoped(`/builds/${name}/${last.number}`, site)}>
            {last.kind === 'build' ? `build ${last.number}` : last.title}
          </Link>
        </span>
      </h2>
      {stands && standing.data?.lines.length ? <Standing name={name} proof={standing.data} /> : <ProofTable proof={proof} />}
      <MadeTable name={name} />
      <FurtherChanges
        name={name}
        list={
          elsewhere
            ? released
            : stands
              ? [
                  ['renew', 'Renew certificates…', 'issues all of them anew, by the authority that stands'],
                  [
                    'authority',
                    'Change authority…',
                    'trusts the next one, then issues by it, then trusts it alone: three changes',
                  ],
                  ['take-down', `Take ${name} down…`, 'shows first what would end, and what stays'],
                ]
              : keeps > 0
                ? [['give-back', `Give ${counted(keeps, 'host')} back…`, 'shows first what would end, and what stays']]
                : []
        }
      />
      {backups.data && backups.data.length > 0 && (
        <>
          <h2 className="pt-5 pb-1 text-lg">Backups of etcd</h2>
          <table className="grid-table" aria-label="Backups of etcd">
            <thead>
              <tr>
                <th>Taken</th>
                <th>Of</th>
                <th>Size</th>
                <th>SHA-256</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {backups.data.map((b) => (
                <tr key={b.id}>
                  <td>
                    <When at={b.at} />
                    {b.number && (
                      <>
                        , before{' '}
                        <Link className="hover:underline" to={scoped(`/builds/${name}/${b.number}`, site)}>
                          change {b.number}
                        </Link>
                      </>
                    )}
                  </td>
                  <td>{b.member}</td>
                  <td>{bytesText(b.bytes)}</td>
                  <td>
                    <Copy text={b.sha256} className="mono max-w-40 truncate" />
                  </td>
                  <td>
                    {may && (
                      <a
                        className="font-semibold text-verdigris hover:underline"
                        href={`/api/charters/${name}/etcd-backups/${b.id}/snapshot.db`}
                        download
                      >
                        Download
                      </a>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </div>
  );
}
