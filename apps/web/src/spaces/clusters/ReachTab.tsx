import type { Announcement, Client, ClusterReach, NodePortRow } from '@praesidor/core/reach';
import { type OutsideForm, outsideForms, outsideText } from '@praesidor/core/files';
import type { Estate } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { Link } from 'react-router';
import { Copy } from '../../parts/Copy.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { scoped } from '../../state/scope.ts';
import { PrecinctSection } from './PrecinctSection.tsx';
import { PublishedSection } from './PublishedSection.tsx';
import { seconds, ServicesTable, useClusterReach } from './ServicesTable.tsx';

/** How what runs in a cluster is reached, kept apart, and given addresses. */
export default function ReachTab({ name, site, estate }: { name: string; site: string; estate: Estate }) {
  const reach = useClusterReach(name);
  if (!reach) return null;
  const charter = estate.charters.find((c) => c.name === name);
  const stands = estate.hosts.some((h) => h.held?.charter === name && h.state === 'serving');
  const ports = reach.nodePorts.length > 0 && <NodePorts rows={reach.nodePorts} clients={reach.clients} site={site} />;
  const asked = stands && charter && <PublishedSection charter={charter} site={site} />;
  return (
    <>
      {reach.pool ? (
        <>
          <ServicesTable cluster={name} site={site} />
          {ports}
          {asked}
          <Compared list={reach.announcements} />
          <Clients name={name} site={site} clients={reach.clients} estate={estate} />
        </>
      ) : (
        <>
          {ports || (
            <Empty title="Nothing is published">
              The charter has no service pool: services of {name} are reached from inside, or over its inbound address.
            </Empty>
          )}
          {asked}
        </>
      )}
      <PrecinctSection name={name} site={site} estate={estate} />
      {reach.apart.length > 0 && <Apart list={reach.apart} />}
      <Ranges rows={reach.ranges} />
    </>
  );
}

/** Services that are planned at a port of every node. */
function NodePorts({ rows, clients, site }: { rows: NodePortRow[]; clients: Client[]; site: string }) {
  return (
    <section aria-label="Node ports" className="pt-5">
      <h2 className="pb-1 text-lg">
        Node ports <span className="ml-1.5 font-normal font-sans text-base text-ink-2">reached at every node of the cluster</span>
      </h2>
      <table className="grid-table" aria-label="Services at ports of the nodes">
        <thead>
          <tr>
            <th>Service</th>
            <th>Port of nodes</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((s) => (
            <tr key={`${s.end} ${s.port} ${s.protocol}`} data-row tabIndex={-1}>
              <td className="font-semibold">
                {s.name}
                {s.namespace !== 'default' && <span className="font-normal text-ink-2"> {s.namespace}</span>}
              </td>
              <td className="mono">
                {s.port} {s.protocol.toUpperCase()}
              </td>
              <td className="text-right">
                <Link
                  className="text-verdigris hover:underline"
                  to={scoped(`/addresses/trace?to=${s.end}${clients[0] ? `&from=${clients[0].network}` : ''}`, site)}
                >
                  Trace
                </Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Both ways of making services known, side by side. */
function Compared({ list }: { list: Announcement[] }) {
  const row = (label: string, value: (a: Announcement) => React.ReactNode) => (
    <tr>
      <th scope="row" className="text-left font-normal text-ink-2">
        {label}
      </th>
      {list.map((a) => (
        <td key={a.by} className={a.chosen ? 'border-verdigris border-l-2 pl-2!' : 'pl-2!'}>
          {value(a)}
        </td>
      ))}
    </tr>
  );
  return (
    <section aria-label="How they are announced" className="pt-5">
      <h2 className="pb-1 text-lg">How they are announced</h2>
      <table className="grid-table" aria-label="ARP and BGP compared">
        <thead>
          <tr>
            <th>
              <span className="sr-only">What is compared</span>
            </th>
            {list.map((a) => (
              <th key={a.by} className="pl-2!">
                {a.by === 'arp' ? 'ARP and NDP' : 'BGP'}
                {a.chosen && <span className="font-normal text-ink-2"> as the charter has it</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {row('Carried by', (a) => counted(a.carriers, 'node'))}
          {row('Throughput of one service', (a) => (a.ceiling === undefined ? 'links not known' : `${a.ceiling} Gbit/s at most`))}
          {row('Out when a node dies', (a) => (
            <>
              <b>{seconds(a.outage)}</b>
              {a.parts.map((p) => (
                <span key={p.what} className="follows block">
                  ↳ {p.what} {seconds(p.seconds)}
                </span>
              ))}
            </>
          ))}
          {row('Needs', (a) => a.needs.map((n) => <div key={n}>{n}</div>))}
          {row('Lacks', (a) =>
            a.lacks.length ? (
              a.lacks.map((n) => (
                <div key={n} className="text-ochre">
                  {n}
                </div>
              ))
            ) : (
              <span className="text-ink-3">nothing</span>
            ),
          )}
        </tbody>
      </table>
    </section>
  );
}

const ways = {
  both: ['done', 'reached, and answered'],
  there: ['half', 'reached, and no way back'],
  back: ['free', 'not reached'],
  none: ['free', 'not reached'],
  unknown: ['sighted', 'not known: a next hop is not declared'],
} as const;
const formNames: Record<OutsideForm, string> = { ip: 'ip route', kea: 'Kea', dnsmasq: 'dnsmasq', bird: 'BIRD' };

/** Networks of the site: whether they reach the pool, and what machines in them are told so that they do. */
function Clients({ name, site, clients, estate }: { name: string; site: string; clients: Client[]; estate: Estate }) {
  const [shown, setShown] = useState<string>();
  const [form, setForm] = useState<OutsideForm>('ip');
  const client = clients.find((c) => c.network === shown);
  const network = estate.networks.find((n) => n.name === shown);
  const text = client?.route && network ? outsideText(form, client.route, network) : undefined;
  if (!clients.length) return null;
  return (
    <section aria-label="Reached from" className="pt-5">
      <h2 className="pb-1 text-lg">Reached from</h2>
      <table className="grid-table" aria-label="Networks that reach the pool">
        <thead>
          <tr>
            <th>Network</th>
            <th>Prefix</th>
            <th>Path</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {clients.map((c) => (
            <tr key={c.network} data-row tabIndex={-1}>
              <td className="font-semibold">{c.network}</td>
              <td className="mono">{c.prefix}</td>
              <td>
                <Mark kind={ways[c.way][0]} /> {ways[c.way][1]}
                {c.why && <span className="text-ink-2">: {c.why}</span>}
                {c.lacking.length > 0 && <span className="block text-brick">would need {c.lacking.join(', ')}</span>}
              </td>
              <td className="whitespace-nowrap text-right">
                <Link
                  className="text-verdigris hover:underline"
                  to={scoped(`/addresses/trace?from=${c.network}&to=${name}/inbound`, site)}
                >
                  Trace
                </Link>
                {c.route && (
                  <button
                    type="button"
                    className="ml-3 text-verdigris hover:underline"
                    aria-expanded={shown === c.network}
                    onClick={() => setShown(shown === c.network ? undefined : c.network)}
                  >
                    Route for its machines
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {client && (
        <div className="mt-2 border border-rule-2 bg-leaf p-3">
          <div role="tablist" aria-label="Form" className="flex gap-4 pb-2">
            {outsideForms.map((f) => (
              <button
                type="button"
                role="tab"
                key={f}
                aria-selected={form === f}
                className={form === f ? 'font-semibold' : 'text-ink-2'}
                onClick={() => setForm(f)}
              >
                {formNames[f]}
              </button>
            ))}
            <span className="flex-1" />
            {text && (
              <Copy text={text} className="font-semibold text-verdigris">
                Copy
              </Copy>
            )}
          </div>
          {text ? (
            <pre className="mono overflow-x-auto whitespace-pre text-sm">{text}</pre>
          ) : (
            <p className="text-ink-2">DHCP gives no routes to IPv6: routers tell them (RFC 4191).</p>
          )}
        </div>
      )}
    </section>
  );
}

/** Clusters that it must not see: whether anything passes between, in both directions. */
function Apart({ list }: { list: ClusterReach['apart'] }) {
  return (
    <section aria-label="Kept apart from" className="pt-5">
      <h2 className="pb-1 text-lg">Kept apart from</h2>
      <ul>
        {list.map((a) => (
          <li key={a.name} className="flex items-baseline gap-2 py-0.5">
            <Mark kind={a.ways.length ? 'failing' : 'done'} />
            <span>
              <b>{a.name}</b>{' '}
              {a.ways.length ? (
                <span className="text-brick">
                  {a.ways
                    .map(
                      (w) =>
                        `${w.from} reaches ${w.what} of ${w.to}${w.over.length ? ` over ${w.over.join(', ')}` : ' in one network'}`,
                    )
                    .join('; ')}
                </span>
              ) : (
                <span className="text-ink-2">nothing passes, in either direction</span>
              )}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Ranges({ rows }: { rows: ClusterReach['ranges'] }) {
  return (
    <section aria-label="Which range gives which address" className="pt-5 pb-4">
      <h2 className="pb-1 text-lg">Which range gives which address</h2>
      <table className="grid-table" aria-label="Ranges">
        <thead>
          <tr>
            <th>Addresses of</th>
            <th>Range</th>
            <th>Gives</th>
            <th>From</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.of} data-row tabIndex={-1}>
              <td className="font-semibold">{r.of}</td>
              <td className="mono">{r.range || '—'}</td>
              <td>{r.gives}</td>
              <td className="text-ink-2">{r.from}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
