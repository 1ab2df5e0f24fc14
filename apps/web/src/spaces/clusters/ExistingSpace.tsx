import type { ExistingCluster } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useDraftReport } from '../../state/computed.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';

const box = 'w-full border border-rule-2 bg-leaf px-2 py-1';

/** A cluster that somebody else built is read with a kubeconfig, and a charter is drafted that would give it. */
export function ExistingSpace() {
  const { site: chosen } = useScope();
  const navigate = useNavigate();
  const leave = useMay();
  const estate = useSnapshot().data?.estate;
  const [picked, setSite] = useState('');
  const site = picked || chosen || estate?.sites[0]?.name || '';
  const [kubeconfig, setKubeconfig] = useState('');
  const [name, setName] = useState('');
  const read = useMutation({
    mutationFn: () =>
      api<ExistingCluster>('POST', `/api/sites/${site}/existing`, { kubeconfig, ...(name.trim() ? { name: name.trim() } : {}) }),
  });
  const found = read.data;
  const report = useDraftReport(found?.charter);
  const save = useCall<object>(
    () => ({ method: 'POST', path: '/api/import', body: { text: found?.text, file: found?.charter?.name, base: [] } }),
    () => `Charter ${found?.charter?.name} saved.`,
    [['estate']],
  );
  const takeIn = useCall<{ charter: string; number: number }>(
    () => ({
      method: 'POST',
      path: `/api/sites/${site}/existing/take-in`,
      body: { kubeconfig, ...(found?.charter ? { name: found.charter.name } : {}) },
    }),
    (b) => {
      void navigate(scoped(`/builds/${b.charter}/${b.number}`, chosen));
      return `${b.charter} is measured against its charter.`;
    },
    [['builds'], ['estate']],
  );
  const off = found?.rows.filter((r) => !r.same).length ?? 0;
  const lacking = found?.nodes.filter((n) => n.why).length ?? 0;
  const exists = estate?.charters.some((c) => c.name === found?.charter?.name);
  return (
    <Space
      space="existing"
      crumbs={
        <Link to={scoped('/clusters', chosen)} className="hover:underline">
          Clusters
        </Link>
      }
      title="Take in a cluster"
      facts={found ? `${found.name}, version ${found.version}, ${counted(found.nodes.length, 'node')}` : 'that exists already'}
      findings={found?.charter ? (report.data?.findings ?? []).filter((f) => f.charters.includes(found.charter?.name ?? '')) : []}
      foot={found?.charter ? undefined : 'The draft is checked when the cluster was read.'}
      acts={
        found?.charter && (
          <>
            <Button
              disabled={!leave.may('charters.save') || save.isPending || exists === true}
              title={exists ? `There is a charter ${found.charter.name} already` : leave.why('charters.save')}
              onClick={() =>
                save.mutate(undefined, { onSuccess: () => void navigate(scoped(`/clusters/${found.charter?.name}`, chosen)) })
              }
            >
              Save charter
            </Button>
            <Button
              filled
              disabled={!leave.may('builds.run') || takeIn.isPending || lacking > 0}
              title={
                lacking
                  ? `${counted(lacking, 'node')} ${lacking === 1 ? 'is' : 'are'} no host that the charter can have`
                  : leave.why('builds.run')
              }
              onClick={() => takeIn.mutate()}
            >
              Take in
            </Button>
          </>
        )
      }
    >
      <section aria-label="Way in" className="max-w-[720px] pt-4">
        <p className="pb-3 text-ink-2">
          The cluster is read and nothing in it is changed. The kubeconfig is not kept before the cluster is taken in.
        </p>
        <Field label="Site">
          {(id) => (
            <select id={id} className={box} value={site} onChange={(e) => setSite(e.target.value)}>
              {estate?.sites.map((s) => (
                <option key={s.name} value={s.name}>
                  {s.title}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Kubeconfig" hint="With its certificates in it: kubectl config view --minify --flatten --raw">
          {(id) => (
            <div className="flex flex-col items-start gap-1.5">
              <textarea
                id={id}
                rows={found ? 3 : 8}
                spellCheck={false}
                autoComplete="off"
                className={`${box} mono whitespace-pre! text-sm`}
                value={kubeconfig}
                onChange={(e) => setKubeconfig(e.target.value)}
              />
              <FilePicker onText={setKubeconfig} />
            </div>
          )}
        </Field>
        <Field label="Name of the charter" hint="As the kubeconfig calls it, where nothing is written">
          {(id) => <Input id={id} value={name} autoComplete="off" onChange={(e) => setName(e.target.value)} />}
        </Field>
        <Button
          filled={!found}
          disabled={!kubeconfig.trim() || read.isPending || !leave.may('charters.save')}
          title={leave.why('charters.save')}
          onClick={() => read.mutate()}
        >
          {found ? 'Read it again' : 'Read the cluster'}
        </Button>
      </section>
      <Refused error={read.error ?? save.error ?? takeIn.error} />
      {found && <Found found={found} off={off} />}
    </Space>
  );
}

function Found({ found, off }: { found: ExistingCluster; off: number }) {
  return (
    <>
      {found.lacks.length > 0 && (
        <section aria-label="What the draft lacks" className="mt-4 border-ochre border-l-[3px] px-3 py-1">
          <h2 className="text-md">What the draft lacks</h2>
          <ul>
            {found.lacks.map((l) => (
              <li key={l}>{l}</li>
            ))}
          </ul>
        </section>
      )}
      {found.charter && (
        <p className="max-w-[720px] pt-3 text-ink-2">
          <b>Take in</b> saves the charter, measures the cluster against it, and holds its hosts: they serve, and no other cluster
          can have them. The kubeconfig is kept sealed until the cluster is released. <b>Save charter</b> keeps the plan alone:
          building it would install the hosts anew.
        </p>
      )}
      <section aria-label="Comparison" className="pt-4">
        <h2 className="pb-1 text-lg">
          Cluster and draft{' '}
          <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
            {off
              ? `${counted(off, 'difference')} of ${found.rows.length}`
              : found.rows.length
                ? 'no difference'
                : 'no draft to compare'}
            , told by {found.name}, <When at={found.at} />
            {found.certificateUntil && (
              <>
                {' '}
                · certificate of its API until <When at={found.certificateUntil} />
              </>
            )}
            {found.authorityUntil && (
              <>
                {' '}
                · authority until <When at={found.authorityUntil} />
              </>
            )}
          </span>
        </h2>
        {found.rows.length > 0 && (
          <table className="grid-table" aria-label="Cluster and draft">
            <thead>
              <tr>
                <th>What</th>
                <th>In the cluster</th>
                <th>From the draft</th>
              </tr>
            </thead>
            <tbody>
              {found.rows.map((r) => (
                <tr key={r.what}>
                  <td>
                    <Mark kind={r.same ? 'done' : 'failing'} title={r.same ? 'same' : 'differs'} /> {r.what}
                  </td>
                  <td className="mono whitespace-normal!">{r.there}</td>
                  <td className={`mono whitespace-normal! ${r.same ? 'follows' : 'text-brick'}`}>{r.drafted}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </section>
      <section aria-label="Nodes" className="pt-5">
        <h2 className="pb-1 text-lg">Nodes</h2>
        <table className="grid-table" aria-label="Nodes">
          <thead>
            <tr>
              <th>Node</th>
              <th>Role</th>
              <th>Address</th>
              <th>Version</th>
              <th>Host</th>
            </tr>
          </thead>
          <tbody>
            {found.nodes.map((n) => (
              <tr key={n.name}>
                <td className="font-semibold">{n.name}</td>
                <td>
                  {n.controlPlane ? 'control plane' : 'worker'}
                  {!n.ready && <span className="text-ochre">, not ready</span>}
                </td>
                <td className="mono">{n.addresses.join(', ')}</td>
                <td className="mono">{n.version}</td>
                <td className="whitespace-normal!">
                  {n.host ?? ''}
                  {n.why && <span className="block text-brick text-sm">{n.why}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </>
  );
}
