import type { SeenVolume, SeenVolumes as Answer } from '@praesidor/contract';
import { bytesText, counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { Fragment } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
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
  const amiss = list.filter((v) => v.state !== 'bound' || v.why).length;
  return (
    <section aria-label="As they are" className="pt-6">
      <div className="flex items-center gap-2 pb-1">
        <h2 className="mr-auto text-lg">
          As they are{' '}
          <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
            {data ? (
              <>
                {amiss ? `${amiss} of ${counted(list.length, 'volume')} wait or are not there` : counted(list.length, 'volume')},
                told by {name}, <When at={data.at} />
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
                  <State volume={v} />
                </td>
                <td className="whitespace-nowrap text-right">{bytesText(v.bytes)}</td>
                <td className="text-ink-2">{v.class ?? '—'}</td>
                <td>
                  {v.lies.length ? (
                    v.lies.map((h, i) => (
                      <Fragment key={h}>
                        {i > 0 && ', '}
                        <Link className="text-verdigris hover:underline" to={scoped(`/hosts/${h}`, site)}>
                          {h}
                        </Link>
                      </Fragment>
                    ))
                  ) : (
                    <span className="text-ink-2">{v.state === 'bound' ? 'as its driver decides' : '—'}</span>
                  )}
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
    </section>
  );
}

function State({ volume: v }: { volume: SeenVolume }) {
  if (v.state === 'absent') return <span className="text-ochre">not there: its workload is not deployed</span>;
  if (v.state === 'waits') return <span className="text-brick">no volume{v.why ? `: ${v.why}` : ' yet'}</span>;
  return v.why ? <span className="text-brick">stuck: {v.why}</span> : <span>has its volume</span>;
}
