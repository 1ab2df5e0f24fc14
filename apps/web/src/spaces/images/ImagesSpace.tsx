import { sharedBetween, sizeOf } from '@praesidor/core/images';
import { bytesText, counted } from '@praesidor/core/words';
import type { Bill, Estate, Registry } from '@praesidor/core/model';
import { holdsCount } from '@praesidor/core/model';
import { useEffect, useState } from 'react';
import { useSnapshot } from '../../api/queries.ts';
import { MarginPart } from '../../frame/Margin.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { clock, day } from '../../parts/time.ts';
import { useReport } from '../../state/computed.ts';
import { useScope } from '../../state/scope.ts';
import { Holds } from './Holds.tsx';
import { Many, many } from './Many.tsx';
import { PublishedDialog } from './PublishedDialog.tsx';
import { PlanDialog } from './PlanDialog.tsx';
import { Shipments } from './Shipments.tsx';
import { SubNav } from './SubNav.tsx';
import { WhereFrom } from './WhereFrom.tsx';
import { Own } from '../../parts/Own.tsx';

/** What each registry holds of each release and add-on; what moves between them; where a node would pull from. */
export function ImagesSpace() {
  const { inScope, site, params, setParams } = useScope();
  const estate = useSnapshot().data?.estate;
  const report = useReport();
  const [planning, setPlanning] = useState(params.has('plan'));
  const [published, setPublished] = useState(params.has('published'));
  useEffect(() => {
    if (params.has('plan')) setPlanning(true);
    if (params.has('published')) setPublished(true);
  }, [params]);
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && f.code.startsWith('IMG'));
  if (!estate)
    return (
      <Space space="images" title="Images" findings={[]}>
        {null}
      </Space>
    );
  const registries = estate.registries
    .filter((r) => r.role !== 'source')
    .sort((a, b) => Number(!inScope(a.site)) - Number(!inScope(b.site)));
  const docs = [
    ...estate.releases.map((r) => ({ name: r.name, what: 'core' })),
    ...estate.addons.map((a) => ({ name: a.name, what: a.version })),
  ];
  const [common] = sharedBetween(
    estate.releases.flatMap((r): Bill[] => (estate.observed.bills[r.name] ? [estate.observed.bills[r.name] as Bill] : [])),
  );
  return (
    <Space
      space="images"
      title="Images"
      sheets={<SubNav site={site} />}
      facts={`${counted(registries.length, 'registry', 'registries')} · ${counted(estate.releases.length, 'release')} · ${counted(estate.addons.length, 'add-on')}`}
      findings={findings}
      acts={
        <>
          <Button data-key="t" onClick={() => setPublished(true)}>
            Take in releases…
          </Button>
          <Button filled data-key="p" onClick={() => setPlanning(true)}>
            Plan a shipment…
          </Button>
        </>
      }
      extra={<Certificates registries={registries} estate={estate} />}
    >
      {!docs.length ? (
        <Empty title="No release is declared" act={<Button onClick={() => setPublished(true)}>Take in releases…</Button>}>
          A release names its components; its bill is walked at the source: every image by digest, every layer once.
        </Empty>
      ) : registries.length > many ? (
        <Many estate={estate} registries={registries.filter((r) => inScope(r.site))} bills={docs.map((d) => d.name)} />
      ) : (
        <table className="grid-table mt-2" aria-label="Images at each registry">
          <thead>
            <tr>
              <th className="align-bottom">
                <Own>Bill</Own>
              </th>
              {registries.map((r) => {
                const s = estate.sites.find((x) => x.name === r.site);
                return (
                  <th key={r.name} className="font-normal">
                    <span className="text-[13px] text-ink">{s?.title}</span>
                    <At kind="Registry" name={r.name} />
                    <div className="text-xs">
                      {r.role} · {s?.reach}
                    </div>
                  </th>
                );
              })}
            </tr>
          </thead>
          <tbody>
            {docs.map((d) => {
              const bill = estate.observed.bills[d.name];
              return (
                <tr key={d.name} data-row tabIndex={-1}>
                  <td className="min-w-[150px]">
                    <b>{d.name}</b>
                    <span className="block whitespace-nowrap text-ink-2 text-sm">
                      {d.what}
                      {bill
                        ? `, ${counted(bill.images.length, 'image')}, ${bytesText(sizeOf(bill).declaredBytes)}`
                        : ', bill not computed yet'}
                    </span>
                  </td>
                  {registries.map((r) => (
                    <Holds key={r.name} registry={r} bill={bill} estate={estate} />
                  ))}
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {common && (
        <p className="pt-1.5 text-ink-2 text-sm">
          {common.a} and {common.b} share {bytesText(common.declaredBytes)}; a registry that holds one lacks only the rest of the
          other.
        </p>
      )}
      <Shipments estate={estate} />
      <WhereFrom estate={estate} site={site} />
      {published && <PublishedDialog estate={estate} onClose={() => setPublished(false)} />}
      {planning && (
        <PlanDialog
          estate={estate}
          target={params.get('plan') ?? registries[0]?.name ?? ''}
          bills={params.get('bills')?.split(',') ?? []}
          from={params.get('from') ?? undefined}
          onClose={() => {
            setPlanning(false);
            setParams((p) => {
              p.delete('plan');
              p.delete('bills');
              p.delete('from');
              return p;
            });
          }}
        />
      )}
    </Space>
  );
}

function Certificates({ registries, estate }: { registries: Registry[]; estate: Estate }) {
  return (
    <MarginPart title="Registries">
      {registries.slice(0, 12).map((r) => {
        const s = estate.observed.registries[r.name];
        return (
          <div key={r.name} className="border-rule border-b py-1.5">
            <div className="mono whitespace-normal! break-all text-xs!">{r.endpoint}</div>
            <div className="text-ink-2 text-sm">
              {!s
                ? 'not looked at yet'
                : s.error
                  ? `looked at ${clock(s.at)}: out of reach`
                  : `${holdsCount(s)} digests at ${clock(s.at)}; certificate by ${s.certificate?.issuer} until ${s.certificate ? day(s.certificate.notAfter) : '?'}`}
            </div>
          </div>
        );
      })}
      {registries.length > 12 && <p className="pt-1.5 text-ink-2">and {registries.length - 12} more</p>}
    </MarginPart>
  );
}
