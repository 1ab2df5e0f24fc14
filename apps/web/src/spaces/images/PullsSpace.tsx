import type { Pulls } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useCallback } from 'react';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { barParts, stackedBars } from '../../parts/bars.ts';
import { Chart } from '../../parts/Chart.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { clock, day } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

const spans = [
  ['1', 'a day', 'hour'],
  ['7', 'a week', 'day'],
  ['30', 'a month', 'day'],
] as const;

/** What hosts pulled, read from the registries' own logs: over time, by node, by image, and what tried the outside. */
export function PullsSpace() {
  const { site, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const days = params.get('days') ?? '7';
  const [, , by] = spans.find(([d]) => d === days) ?? spans[1];
  const pulls = useQuery({
    queryKey: ['pulls', site, days],
    queryFn: () =>
      api<Pulls>(
        'GET',
        `/api/pulls?by=${by}&since=${new Date(Date.now() - Number(days) * 86_400_000).toISOString()}${site ? `&site=${site}` : ''}`,
      ),
  });
  const p = pulls.data;
  const over = p?.over;
  const drawn = useCallback(
    (colour: (n: string) => string) =>
      stackedBars(
        colour,
        (over ?? []).map((o) => (by === 'hour' ? clock(o.at) : day(o.at))),
        [
          { label: 'from mirrors', data: (over ?? []).map((o) => o.inside) },
          { label: 'from outside', data: (over ?? []).map((o) => o.outside) },
        ],
      ),
    [over, by],
  );
  const outside = p?.outside.length ?? 0;
  return (
    <Space
      space="pulls"
      title="Pulls"
      sheets={<SubNav site={site} />}
      facts={p ? `${counted(p.total, 'image')} pulled from mirrors, ${outside} requested outside the mirror` : 'reading…'}
      findings={[]}
      acts={
        <select
          aria-label="since"
          value={days}
          onChange={(e) =>
            setParams((q) => {
              q.set('days', e.target.value);
              return q;
            })
          }
          className="border border-rule-2 bg-leaf px-2 py-1"
        >
          {spans.map(([d, text]) => (
            <option key={d} value={d}>
              over {text}
            </option>
          ))}
        </select>
      }
      extra={
        <MarginPart title="Where this comes from">
          <p className="text-ink-2">
            Each registry of ours keeps who asked it for what; it is read every half minute and kept for 90 days. A pull counts
            when a host of the estate asks for an image by its name.
          </p>
          {estate?.registries
            .filter((r) => r.role !== 'source' && (!site || r.site === site))
            .map((r) => (
              <div key={r.name} className="flex justify-between border-rule border-b py-1">
                <span>{r.name}</span>
                <span className="text-ink-2">
                  {p?.hosts.filter((h) => h.registry === r.name).reduce((n, h) => n + h.images, 0) ?? 0} images,{' '}
                  {p?.hosts.filter((h) => h.registry === r.name).length ?? 0} hosts
                </span>
              </div>
            ))}
        </MarginPart>
      }
    >
      <Refused error={pulls.error} />
      {p && !p.total && !outside ? (
        <Empty title="Nothing was pulled in this time">
          Hosts pull when they are built, restarted, or given something new to run.
        </Empty>
      ) : (
        p && (
          <>
            <figure aria-label="Pulls over time" className="pt-3">
              <Chart
                uses={barParts}
                config={drawn}
                says={`${p.total} from mirrors, ${outside} from outside`}
                className="h-[140px]"
              />
            </figure>
            {outside > 0 && (
              <section
                aria-label="Requested outside the mirror"
                className="mt-3 border-brick border-l-[3px] bg-brick-tint px-3 py-2"
              >
                <b className="text-brick">{counted(outside, 'image was', 'images were')} requested outside the mirror</b>
                {p.outside.slice(0, 8).map((o) => (
                  <div key={o.host + o.image}>
                    {o.host} asked {o.registry} for <span className="mono">{o.image}</span>, <When at={o.at} as="both" />
                  </div>
                ))}
                <div className="text-ink-2">Its rules do not reach that name, or they are not on the machine.</div>
              </section>
            )}
            {p.missed.length > 0 && (
              <section aria-label="Asked for and not there" className="mt-3 border-ochre border-l-[3px] bg-ochre-tint px-3 py-2">
                <b className="text-ochre">{p.missed.length} asked for and not there</b>
                {p.missed.slice(0, 8).map((o) => (
                  <div key={o.host + o.image}>
                    {o.host} asked {o.registry} for <span className="mono">{o.image}</span>{' '}
                    {o.times > 1 ? `${o.times} times, last ` : ''}
                    <When at={o.at} as="both" />
                  </div>
                ))}
              </section>
            )}
            <div className="grid grid-cols-2 gap-6 pt-3">
              <table className="grid-table self-start" aria-label="By host">
                <thead>
                  <tr>
                    <th>Host</th>
                    <th>From</th>
                    <th>Images</th>
                    <th>Last</th>
                  </tr>
                </thead>
                <tbody>
                  {p.hosts.slice(0, 200).map((h) => (
                    <tr key={h.host + h.registry}>
                      <td className="font-semibold">{h.host}</td>
                      <td>{h.registry}</td>
                      <td>{h.images}</td>
                      <td className="text-ink-2">
                        <When at={h.last} as="both" />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              <table className="grid-table self-start" aria-label="By image">
                <thead>
                  <tr>
                    <th>Image</th>
                    <th>Hosts</th>
                  </tr>
                </thead>
                <tbody>
                  {p.images.slice(0, 200).map((i) => (
                    <tr key={i.image}>
                      <td className="mono">{i.image}</td>
                      <td>{i.hosts}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </>
        )
      )}
    </Space>
  );
}
