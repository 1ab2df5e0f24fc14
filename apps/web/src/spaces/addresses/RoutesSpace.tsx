import { counted } from '@praesidor/core/words';
import { gatewayFiles, takenOverAfter } from '@praesidor/core/files';
import type { Edit, Estate, Gateway, Network } from '@praesidor/core/model';
import type { Reached } from '@praesidor/core/reach';
import { useQuery } from '@tanstack/react-query';
import { useId, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import { purposes } from './Networks.tsx';
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
          networks={networks.filter((n) => n.site === s.name)}
          site={site}
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

/** From so many networks on, purposes are folded until somebody opens one. */
const many = 24;
/** What stands in a row or a column: one network, or all of a purpose. */
type Entry = { key: string; label: string; of: number[]; folded: boolean };
const words: Record<Reached, string> = {
  both: 'both ways',
  there: 'no way back',
  back: 'only the other way',
  none: 'no route',
  unknown: 'not known: a next hop is not declared',
};

/** From each network (row) to each (column), by what is declared: both ways, one way only, or not at all. */
function Matrix({
  title,
  networks,
  site,
  onToggle,
}: {
  title: string;
  networks: Network[];
  site: string;
  onToggle: (a: Network, b: Network) => void;
}) {
  const [typed, setTyped] = useState('');
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const id = useId();
  const snapshot = useSnapshot().data;
  const names = networks.map((n) => n.name);
  const ways = useQuery({
    queryKey: ['routes', snapshot?.state, names.join()],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async () => (snapshot ? (await computerWith(snapshot)).matrix(names) : []),
  }).data;
  const wanted = typed.trim().toLowerCase();
  const shown = networks.map((_, i) => i).filter((i) => matches(networks[i] as Network, wanted));
  const folds = shown.length > many;
  const groups = purposes
    .map((p) => ({ purpose: p, of: shown.filter((i) => networks[i]?.purpose === p) }))
    .filter((g) => g.of.length > 0);
  const entries = groups.flatMap(({ purpose, of }): Entry[] =>
    of.length > 1 && folds !== turned.has(purpose)
      ? [{ key: purpose, label: `${purpose} (${of.length})`, of, folded: true }]
      : of.map((i) => ({ key: names[i] ?? '', label: names[i] ?? '', of: [i], folded: false })),
  );
  const turn = (purpose: string) =>
    setTurned((old) => new Set(old.has(purpose) ? [...old].filter((p) => p !== purpose) : [...old, purpose]));
  const narrow = entries.length > many;
  return (
    <section aria-label={`Routing at ${title}`} className="pt-3">
      <div className="flex items-baseline gap-4 pb-1">
        <h2 className="text-lg">{title}</h2>
        <span className="flex-1" />
        {networks.length > 8 && (
          <>
            <label htmlFor={id} className="text-ink-2">
              Filter
            </label>
            <input
              id={id}
              className="mono w-[180px] border border-rule-2 bg-leaf px-2 py-0.5"
              placeholder="name, prefix or VLAN"
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
            />
          </>
        )}
      </div>
      {groups.some((g) => g.of.length > 1) && networks.length > 8 && (
        <div className="flex flex-wrap gap-x-4 pb-1 text-sm">
          <span className="text-ink-2">Fold</span>
          {groups
            .filter((g) => g.of.length > 1)
            .map((g) => (
              <label key={g.purpose} className="flex items-center gap-1">
                <input type="checkbox" checked={folds !== turned.has(g.purpose)} onChange={() => turn(g.purpose)} /> {g.purpose} (
                {g.of.length})
              </label>
            ))}
        </div>
      )}
      {!shown.length && <p className="text-ink-2">No network here matches {typed}.</p>}
      <div className="overflow-x-auto">
        <table className="border-collapse">
          <thead>
            <tr>
              <th className="pr-4 pb-1 align-bottom">reaches</th>
              {entries.map((n) => (
                <th key={n.key} className={`h-[86px] align-bottom ${narrow ? 'w-[22px]' : 'w-[34px]'}`}>
                  <span
                    className={`inline-block origin-bottom-left -rotate-45 whitespace-nowrap text-ink-2 ${narrow ? 'translate-x-[12px] text-[11px]' : 'translate-x-[18px]'}`}
                  >
                    {n.label}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {entries.map((a) => (
              <tr key={a.key} className="border-rule border-t">
                <td className={`whitespace-nowrap pr-4 ${narrow ? '' : 'py-1'}`}>
                  <span className="font-semibold">{a.label}</span>{' '}
                  {!a.folded && (
                    <>
                      <span className="mono text-[11.5px]! text-ink-3">{networks[a.of[0] as number]?.prefix}</span>
                      <At kind="Network" name={a.label} path="routesTo" />
                    </>
                  )}
                </td>
                {entries.map((b) => (
                  <td key={b.key} className="text-center">
                    <Cell a={a} b={b} networks={networks} ways={ways} narrow={narrow} site={site} onToggle={onToggle} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="pt-1.5 text-ink-3 text-sm">
        <Mark kind="done" /> both ways · <Mark kind="half" /> there, and no way back · <Mark kind="failing" /> declared, and not
        so · <Mark kind="sighted" /> not known · a click changes what is declared, after showing what
      </p>
    </section>
  );
}
const matches = (n: Network, wanted: string): boolean =>
  !wanted || n.name.includes(wanted) || n.prefix.startsWith(wanted) || String(n.vlan ?? '') === wanted;
const empty = (narrow: boolean) => (
  <span className={`inline-block border border-rule-2 ${narrow ? 'h-[12px] w-[9px]' : 'h-[14px] w-[11px]'}`} />
);

function Cell({
  a,
  b,
  networks,
  ways,
  narrow,
  site,
  onToggle,
}: {
  a: Entry;
  b: Entry;
  networks: Network[];
  ways: Reached[][] | undefined;
  narrow: boolean;
  site: string;
  onToggle: (a: Network, b: Network) => void;
}) {
  const pairs = a.of.flatMap((i) => b.of.filter((k) => k !== i).map((k) => ways?.[i]?.[k] ?? 'none'));
  if (!pairs.length) return <span className="text-ink-3">·</span>;
  if (a.folded || b.folded) {
    const good = pairs.filter((w) => w === 'both').length;
    const says = `${a.label} and ${b.label}: ${good} of ${pairs.length} both ways`;
    return (
      <span title={says} aria-label={says} role="img" className="text-sm">
        {good === pairs.length ? <Mark kind="done" /> : good ? `${good}/${pairs.length}` : empty(narrow)}
      </span>
    );
  }
  const [from, to] = [networks[a.of[0] as number] as Network, networks[b.of[0] as number] as Network];
  const way = pairs[0] as Reached;
  const declared = from.routesTo.includes(to.name);
  const broken = declared && (way === 'none' || way === 'back');
  const says = `${a.label} and ${b.label}: ${broken ? `declared, and ${words[way]}` : words[way]}`;
  return (
    <button
      type="button"
      title={says}
      aria-label={says}
      data-trace={scoped(`/addresses/trace?from=${a.label}&to=${b.label}`, site)}
      className={narrow ? 'px-0.5' : 'px-2 py-0.5'}
      onClick={() => onToggle(from, to)}
    >
      {broken ? (
        <Mark kind="failing" />
      ) : way === 'both' ? (
        <Mark kind="done" />
      ) : way === 'there' ? (
        <Mark kind="half" />
      ) : way === 'unknown' ? (
        <Mark kind="sighted" />
      ) : (
        empty(narrow)
      )}
    </button>
  );
}

/** Gateways of the site: who leads at which address, where each member stands, and what it knows. */
function Gateways({ gateways, at }: { gateways: Gateway[]; at: string | null }) {
  const [files, setFiles] = useState<Gateway>();
  if (!gateways.length) return null;
  return (
    <section aria-label="Gateways" className="pt-5">
      <h2 className="pb-1 text-lg">Gateways</h2>
      <table className="grid-table" aria-label="Gateways">
        <thead>
          <tr>
            <th>Gateway</th>
            <th>Member</th>
            <th>Leads at</th>
            <th>Stands in</th>
            <th>Own routes</th>
            <th>Taken over after</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {gateways.flatMap((g) =>
            g.members.map((m, i) => {
              const first = [...g.members].sort((x, y) => y.priority - x.priority)[0];
              const leads = g.addresses.filter((a) => (a.leads ?? first?.name) === m.name);
              return (
                <tr key={`${g.name} ${m.name}`} data-row tabIndex={-1} className={at === g.name ? 'bg-leaf' : ''}>
                  <td className="font-semibold">
                    {i === 0 && (
                      <>
                        {g.name}
                        <At kind="Gateway" name={g.name} path="" />
                        {g.title && <span className="block font-normal text-ink-2 text-sm">{g.title}</span>}
                      </>
                    )}
                  </td>
                  <td>
                    {m.name}
                    <At kind="Gateway" name={g.name} path={`members.${i}`} />
                  </td>
                  <td className="mono">{leads.map((a) => a.address).join(', ') || <span className="text-ink-3">—</span>}</td>
                  <td className="text-sm">
                    {m.interfaces.map((f) => (
                      <span key={f.network} className="mr-3 inline-block whitespace-nowrap">
                        {f.network} <span className="mono text-[11.5px]! text-ink-2">{f.address}</span>
                      </span>
                    ))}
                  </td>
                  <td>{g.routes.length + m.routes.length || <span className="text-ink-3">none</span>}</td>
                  <td>
                    {g.members.length > 1 && g.addresses.length ? (
                      `${takenOverAfter(g, m).toFixed(1)} s`
                    ) : (
                      <span className="text-ink-3">by nobody</span>
                    )}
                  </td>
                  <td className="whitespace-nowrap text-right">
                    {i === 0 && (
                      <>
                        <button type="button" className="text-verdigris hover:underline" onClick={() => setFiles(g)}>
                          Files
                        </button>
                        <Link
                          className="ml-3 text-verdigris hover:underline"
                          to={scoped(`/declare?edit=${encodeURIComponent(`Gateway ${g.name}`)}`, g.site)}
                        >
                          Change
                        </Link>
                      </>
                    )}
                  </td>
                </tr>
              );
            }),
          )}
        </tbody>
      </table>
      {files && <GatewayFiles gateway={files} onClose={() => setFiles(undefined)} />}
    </section>
  );
}

/** What the members of a gateway are set up with, to be read and copied. */
function GatewayFiles({ gateway, onClose }: { gateway: Gateway; onClose: () => void }) {
  const estate = useSnapshot().data?.estate;
  const files = estate ? gatewayFiles(estate, gateway) : [];
  const [at, setAt] = useState(0);
  const file = files[at];
  return (
    <Dialog open title={`Files of ${gateway.name}`} onClose={onClose} wide>
      <div className="flex gap-4">
        <ul className="w-[250px] flex-none text-sm">
          {files.map((f, i) => (
            <li key={`${f.member} ${f.path}`}>
              <button
                type="button"
                aria-pressed={i === at}
                className={`w-full py-0.5 text-left ${i === at ? 'font-semibold' : 'text-ink-2'}`}
                onClick={() => setAt(i)}
              >
                {f.member} <span className="mono text-[11.5px]!">{f.path}</span>
              </button>
            </li>
          ))}
        </ul>
        {file && (
          <div className="min-w-0 flex-1">
            <div className="text-right">
              <Copy text={file.text} />
            </div>
            <pre className="mono max-h-[420px] overflow-auto whitespace-pre border border-rule-2 bg-leaf p-2 text-sm">
              {file.text}
            </pre>
          </div>
        )}
      </div>
    </Dialog>
  );
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
