import type { SeenVolume, SeenVolumes as Answer } from '@praesidor/contract';
import { copyText, unreachable, wholeOf } from '@praesidor/core/backup';
import { bytesText, counted, momentText } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { Fragment } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { scoped } from '../../state/scope.ts';

/** Volumes of a cluster that stands, as its API tells them: asked when the page is opened, and by a click. */
export function SeenVolumes({ name, site }: { name: string; site: string }) {
  const { data, error, isFetching, refetch } = useQuery({
    queryKey: ['volumes seen', name],
    queryFn: () => api<Answer>('GET', `/api/charters/${name}/volumes`),
    retry: false,
    refetchOnWindowFocus: false,
  });
  const list = data?.volumes ?? [];
  const estate = useSnapshot().data?.estate;
  const zone = estate?.sites.find((s) => s.name === site)?.timezone ?? 'UTC';
  /** Of when the newest backup of a volume is, by the clock of its site. */
  const newest = (v: SeenVolume) => {
    const at = v.planned ? estate?.observed.backups[name]?.volumes[v.planned]?.at : undefined;
    return at ? momentText(at, zone) : undefined;
  };
  const amiss = list.filter((v) => v.state !== 'bound' || v.why || lacks(v)).length;
  return (
    <section aria-label="As they are" className="pt-6">
      <div className="flex items-center gap-2 pb-1">
        <h2 className="mr-auto text-lg">
          As they are{' '}
          <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
            {data ? (
              <>
                {amiss
                  ? `${amiss} of ${counted(list.length, 'volume')} wait, lack a copy or are not there`
                  : counted(list.length, 'volume')}
                , told by {name}, <When at={data.at} />
              </>
            ) : (
              'asked of the cluster'
            )}
          </span>
        </h2>
        <Button disabled={isFetching} onClick={() => void refetch()}>
          Look again
        </Button>
      </div>
      <Refused error={error} />
      {list.length > 0 && (
        <table className="grid-table" aria-label="Volumes as they are">
          <thead>
            <tr>
              <th>Volume</th>
              <th>State</th>
              <th className="text-right">Size</th>
              <th>Class</th>
              <th>Lies on</th>
              <th>Used by</th>
            </tr>
          </thead>
          <tbody>
            {list.map((v) => (
              <tr key={`${v.namespace}/${v.claim}`}>
                <td className="whitespace-normal!">
                  <span className="font-semibold">{v.planned ?? v.claim}</span>
                  <span className="block text-ink-2 text-sm">
                    {v.planned ? `claim ${v.namespace}/${v.claim}` : `in ${v.namespace}, declared by nobody`}
                  </span>
                </td>
                <td className="whitespace-normal!">
                  <State volume={v} newest={newest(v)} />
                </td>
                <td className="whitespace-nowrap text-right">{bytesText(v.bytes)}</td>
                <td className="text-ink-2">{v.class ?? '—'}</td>
                <td className="whitespace-normal!">
                  <Lies volume={v} site={site} />
                </td>
                <td className="whitespace-normal!">
                  {v.users.length ? (
                    v.users.map((u) => (
                      <span key={u.pod} className={`block ${u.ready ? '' : 'text-ochre'}`}>
                        {u.pod}
                        {u.host && <span className="text-ink-2"> on {u.host}</span>}
                        {!u.ready && ', not ready'}
                      </span>
                    ))
                  ) : (
                    <span className="text-ink-2">nobody</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data && data.undeclared.length > 0 && <Undeclared name={name} works={data.undeclared} />}
    </section>
  );
}

/** What runs there and nobody declared: with a click it is in the charter, and rehearsed and backed up like the rest. */
function Undeclared({ name, works }: { name: string; works: Answer['undeclared'] }) {
  const leave = useMay();
  const charter = useSnapshot().data?.estate.charters.find((c) => c.name === name);
  const declare = useCall<object>(
    () => ({
      method: 'POST',
      path: '/api/edits',
      body: {
        why: `declare what runs in ${name}`,
        edits: [{ op: 'set', kind: 'Charter', key: name, path: ['workloads'], value: [...(charter?.workloads ?? []), ...works] }],
      },
    }),
    `${counted(works.length, 'workload')} declared: correct what the cluster does not tell on the sheet.`,
    [['estate'], ['volumes seen', name]],
  );
  return (
    <div className="flex items-start gap-3 pt-2">
      <p className="mr-auto">
        Runs there, and no charter says so:{' '}
        {works.map((w, n) => (
          <span key={`${w.namespace}/${w.name}`}>
            {n > 0 && ', '}
            <span className="font-semibold">{w.name}</span>{' '}
            <span className="text-ink-2">
              ({counted(w.replicas, 'pod')}
              {w.volumes?.length ? `, ${counted(w.volumes.length, 'volume')}` : ''})
            </span>
          </span>
        ))}
        . <span className="text-ink-2">{works.length === 1 ? 'It is' : 'They are'} neither rehearsed nor backed up.</span>
      </p>
      <Button
        disabled={!charter || !leave.may('plan.edit') || declare.isPending}
        title={leave.why('plan.edit')}
        onClick={() => declare.mutate()}
      >
        Declare {works.length === 1 ? 'it' : 'them'}
      </Button>
      <Refused error={declare.error} />
    </div>
  );
}

const asIs = ({ claim, lies, copies, wanted }: SeenVolume) => ({ name: claim, lies, copies, wanted });
/** Whether a volume has fewer whole copies than its class asks for. */
const lacks = (v: SeenVolume): boolean => {
  const is = wholeOf(asIs(v));
  return is !== undefined && is.whole < is.of;
};

/** The hosts that a volume lies on: each of its copies with what it is, or those that it lies on alone. */
function Lies({ volume: v, site }: { volume: SeenVolume; site: string }) {
  const host = (h: string) => (
    <Link className="text-verdigris hover:underline" to={scoped(`/hosts/${h}`, site)}>
      {h}
    </Link>
  );
  if (v.copies?.length)
    return v.copies.map((c) => (
      <span key={c.host} className="block">
        {host(c.host)}{' '}
        <span className={c.state === 'current' ? 'text-ink-2' : c.state === 'filling' ? 'text-ochre' : 'text-brick'}>
          {copyText(c)}
        </span>
      </span>
    ));
  if (v.copies) return <span className="text-brick">on no host yet</span>;
  if (!v.lies.length) return <span className="text-ink-2">{v.state === 'bound' ? 'as its driver decides' : '—'}</span>;
  return v.lies.map((h, i) => (
    <Fragment key={h}>
      {i > 0 && ', '}
      {host(h)}
    </Fragment>
  ));
}

function State({ volume: v, newest }: { volume: SeenVolume; newest: string | undefined }) {
  if (v.state === 'absent') return <span className="text-ochre">not there: its workload is not deployed</span>;
  if (v.state === 'waits') return <span className="text-brick">no volume{v.why ? `: ${v.why}` : ' yet'}</span>;
  const told = asIs(v);
  const is = wholeOf(told);
  const copies = is && is.whole < is.of && (
    <span className={is.whole ? 'text-ochre' : 'text-brick'}>
      {is.whole ? `${is.whole} of ${counted(is.of, 'copy', 'copies')}` : `cannot be used: ${unreachable(told, newest)}`}
    </span>
  );
  // What it waits for is that nobody has all of it: that is said already.
  if (v.why && is?.whole !== 0)
    return (
      <>
        {copies && <span className="block">{copies}</span>}
        <span className="text-brick">stuck: {v.why}</span>
      </>
    );
  return copies || <span>{is ? `${is.whole} of ${counted(is.of, 'copy', 'copies')}` : 'has its volume'}</span>;
}
