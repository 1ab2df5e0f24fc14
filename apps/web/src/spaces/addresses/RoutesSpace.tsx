import { counted } from '@praesidor/core/words';
import type { Edit, Estate, Network } from '@praesidor/core/model';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import { Gateways } from './Gateways.tsx';
import { purposes } from './Networks.tsx';
import { Matrix } from './RouteMatrix.tsx';
import { SubNav } from './SubNav.tsx';

interface Wanted {
  title: string;
  edits: Edit[];
}

const routesTo = (n: Network, value: string[]): Edit => ({ op: 'set', kind: 'Network', key: n.name, path: ['routesTo'], value });
const without = (list: readonly string[], name: string) => list.filter((x) => x !== name);

/** Which networks of a site route to which, and the static routes of each. */
export function RoutesSpace() {
  const { site, inScope, params } = useScope();
  const snapshot = useSnapshot().data;
  const estate = snapshot?.estate;
  const report = useReport();
  const [wanted, setWanted] = useState<Wanted>();
  const [adding, setAdding] = useState(false);
  const navigate = useNavigate();
  const networks = (estate?.networks ?? [])
    .filter((n) => inScope(n.site))
    .sort((a, b) => a.site.localeCompare(b.site) || purposes.indexOf(a.purpose) - purposes.indexOf(b.purpose));
  const gateways = (estate?.gateways ?? []).filter((g) => inScope(g.site));
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && /^(NET|SVC)/.test(f.code));
  const sites = (estate?.sites ?? []).filter((s) => networks.some((n) => n.site === s.name));
  const statics = networks.flatMap((n) => n.routes.map((r, i) => ({ n, r, i })));
  const toggle = async (a: Network, b: Network) => {
    const both = a.routesTo.includes(b.name) && b.routesTo.includes(a.name);
    const edits = both
      ? [routesTo(a, without(a.routesTo, b.name)), routesTo(b, without(b.routesTo, a.name))]
      : snapshot
        ? await (await computerWith(snapshot)).routeBetween(a.name, b.name)
        : [];
    setWanted({ title: both ? `Remove route ${a.name}–${b.name}` : `Route between ${a.name} and ${b.name}`, edits });
  };
  return (
    <Space
      space="addresses"
      sheets={<SubNav site={site} />}
      title="Routes"
      facts={`${counted(networks.length, 'network')} · ${counted(gateways.length, 'gateway')} · ${counted(statics.length, 'static route')}`}
      findings={findings}
      acts={
        <>
          <Button
            disabled={!networks.length}
            onClick={() => void navigate(scoped('/declare?kind=Gateway&back=/addresses/routes', site))}
          >
            Add a gateway…
          </Button>
          <Button filled data-key="a" disabled={!networks.length} onClick={() => setAdding(true)}>
            Add a route…
          </Button>
        </>
      }
    >
      {estate && !networks.length && (
        <Empty title="No networks are declared here">Routes lead from one network to another.</Empty>
      )}
      {sites.map((s) => (
        <Matrix
          key={s.name}
          title={s.title}
          networks={networks.filter((n) => n.site === s.name && !n.precincts)}
          onToggle={(a, b) => void toggle(a, b)}
        />
      ))}
      <Gateways gateways={gateways} at={params.get('gateway')} />
      {statics.length > 0 && (
        <>
          <h2 className="pt-5 pb-1 text-lg">Static routes</h2>
          <table className="grid-table" aria-label="Static routes">
            <thead>
              <tr>
                <th>From</th>
                <th>To</th>
                <th>Next hop</th>
                <th>Owner of next hop</th>
                <th>
                  <span className="sr-only">Acts</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {statics.map(({ n, r, i }) => (
                <tr key={`${n.name}${r.to}${r.via}`} data-row tabIndex={-1}>
                  <td>
                    {n.name}
                    <At kind="Network" name={n.name} path={`routes.${i}`} />
                  </td>
                  <td className="mono">{r.to}</td>
                  <td className="mono">{r.via}</td>
                  <td className="text-ink-2">{answers(estate, n, r.via)}</td>
                  <td className="text-right">
                    <button
                      type="button"
                      className="text-verdigris hover:underline"
                      onClick={() =>
                        setWanted({
                          title: `Take out the route to ${r.to}`,
                          edits: [
                            {
                              op: 'set',
                              kind: 'Network',
                              key: n.name,
                              path: ['routes'],
                              value: n.routes.filter((_, k) => k !== i),
                            },
                          ],
                        })
                      }
                    >
                      take out
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {wanted && (
        <EditsDialog title={wanted.title} edits={wanted.edits} why={wanted.title} onClose={() => setWanted(undefined)} />
      )}
      {adding && <AddRoute networks={networks} onClose={() => setAdding(false)} />}
    </Space>
  );
}

function answers(estate: Estate | undefined, n: Network, via: string): string {
  if (n.gateway === via) return 'the gateway';
  const r = estate?.reservations.find((x) => x.network === n.name && x.address === via && !x.resting);
  return r ? (r.name ?? r.owner.name) : 'unknown';
}

function AddRoute({ networks, onClose }: { networks: Network[]; onClose: () => void }) {
  const [name, setName] = useState(networks.find((n) => n.purpose === 'uplink')?.name ?? networks[0]?.name ?? '');
  const [to, setTo] = useState('');
  const [via, setVia] = useState('');
  const network = networks.find((n) => n.name === name);
  const edits: Edit[] =
    network && to && via
      ? [{ op: 'set', kind: 'Network', key: name, path: ['routes'], value: [...network.routes, { to, via }] }]
      : [];
  return (
    <EditsDialog
      title="Add a route"
      about="A static route of a network's router."
      edits={edits}
      why={`Route from ${name} to ${to}`}
      onClose={onClose}
    >
      <Field label="From">
        {(id) => (
          <select
            id={id}
            value={name}
            onChange={(e) => setName(e.target.value)}
            className="border border-rule-2 bg-leaf px-2 py-1"
          >
            {networks.map((n) => (
              <option key={n.name} value={n.name}>
                {n.name}, {n.prefix}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="To">
        {(id) => (
          <Input id={id} className="mono" placeholder="10.70.0.0/16" value={to} onChange={(e) => setTo(e.target.value.trim())} />
        )}
      </Field>
      <Field label="Next hop" hint={network?.gateway ? <span className="follows">↳ its gateway is {network.gateway}</span> : ''}>
        {(id) => <Input id={id} className="mono" value={via} onChange={(e) => setVia(e.target.value.trim())} />}
      </Field>
    </EditsDialog>
  );
}
