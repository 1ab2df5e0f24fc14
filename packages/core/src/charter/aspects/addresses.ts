import { addressing } from '../addresses.ts';
import { usualApiPort } from '../ports.ts';
import type { Computed, Plan } from '../plan.ts';
import { type PlannedService, plannedServices, serviceReservations } from '../services.ts';
import { aspect, because } from './aspect.ts';
import { placement } from './placement.ts';
import { references } from './references.ts';

export const addresses = aspect<
  Pick<Plan, 'api' | 'inbound' | 'services' | 'reservations'> & {
    nodeAddresses: Record<string, string>;
    further: Record<string, Record<string, string>>;
    inARow: boolean;
  }
>({
  name: 'addresses',
  compute: ({ charter, view, need }) => {
    const { site, network, networks, secondNetwork } = need(references);
    const a = addressing(
      charter,
      site,
      network,
      need(placement).chosen,
      view,
      [...(secondNetwork ? [secondNetwork] : []), ...networks],
      secondNetwork?.name,
    );
    const services: PlannedService[] = plannedServices(charter, network ? [network, ...networks] : networks, view);
    return {
      services,
      api: { name: a.apiName, address: a.api ?? '', port: charter.api.port ?? usualApiPort },
      inbound: { name: a.inboundName, address: a.inbound ?? '' },
      reservations: [...a.reservations, ...serviceReservations(charter, services, network)],
      nodeAddresses: Object.fromEntries([...a.nodes].map(([host, n]) => [host, n.address])),
      further: Object.fromEntries([...a.further].map(([n, given]) => [n, Object.fromEntries(given)])),
      inARow: a.inARow,
      problems: [
        ...(a.failed ? [{ about: 'addresses' as const, path: a.failedAt ?? ['machineNetwork'], text: a.failed }] : []),
        ...(network && (!a.api || !a.inbound)
          ? [
              {
                about: 'addresses' as const,
                path: ['machineNetwork'],
                text: `${network.name} has no free virtual address left`,
              },
            ]
          : []),
      ],
    };
  },
  lines: (plan) => {
    const { charter, api, inbound, nodes } = plan;
    const row = nodes.map((n) => n.address).filter(Boolean);
    return [
      {
        id: 'api',
        section: 4,
        label: 'API',
        text: `${short(plan, api.name)} ${api.address || '—'} port ${api.port}`,
        why: [
          charter.api.name ? because('set', { what: 'name' }, ['api', 'name']) : because('name of the API', {}, ['api', 'name']),
          charter.api.address
            ? because('set', { what: 'address' }, ['api', 'address'])
            : because('virtual address', {}, ['api', 'address']),
          charter.api.port ? because('set', { what: 'port' }, ['api', 'port']) : because('port of the API', {}, ['api', 'port']),
          because('in full', { name: api.name }),
          because('forward and reverse'),
        ],
        mono: true,
      },
      {
        id: 'inbound',
        section: 4,
        label: 'Inbound',
        text: `${short(plan, inbound.name)} ${inbound.address || '—'}`,
        why: [
          charter.inbound.name
            ? because('set', { what: 'name' }, ['inbound', 'name'])
            : because('name of inbound', {}, ['inbound', 'name']),
          charter.inbound.address
            ? because('set', { what: 'address' }, ['inbound', 'address'])
            : because('next virtual address', {}, ['inbound', 'address']),
          because('in full', { name: inbound.name }),
          because('forward only'),
        ],
        mono: true,
      },
      ...(plan.services.length
        ? [
            {
              id: 'services',
              section: 4 as const,
              label: 'Services',
              text: plan.services.map((s) => `${s.name} ${s.address ?? '—'}`).join(', '),
              why: plan.services.map((s, i) =>
                because(`service ${s.by}`, { name: s.name, address: s.address ?? '—' }, ['servicePool', 'services', i]),
              ),
              mono: true,
            },
          ]
        : []),
      {
        id: 'node-addresses',
        section: 4,
        label: 'Nodes',
        text: row.length
          ? plan.inARow
            ? `${row[0]} – .${row.at(-1)?.split('.').at(-1)}, ${row.length} in a row`
            : row.join(', ')
          : '—',
        why: [
          ...(charter.nodesFrom ? [because('run from an address', { from: charter.nodesFrom }, ['nodesFrom'])] : []),
          ...nodes.map((n) =>
            because('node address', {
              host: n.host,
              address: [n.address, n.second?.address].filter(Boolean).join(' and '),
              mac: n.mac,
            }),
          ),
        ],
        mono: true,
      },
      ...plan.networks.map((n) => {
        const of = nodes.flatMap((x) => x.further?.find((f) => f.network === n.name) ?? []);
        return {
          id: `network ${n.name}`,
          section: 4 as const,
          label: n.name,
          text: of.length ? of.map((f) => f.address).join(', ') : '—',
          why: nodes.flatMap((x) => {
            const f = x.further?.find((i) => i.network === n.name);
            return f
              ? [
                  because('address in a further network', { host: x.host, address: f.address, nic: f.nic, on: f.on }, [
                    'networks',
                  ]),
                ]
              : [];
          }),
          mono: true,
        };
      }),
    ];
  },
});
/** A name without the domain of the site. */
const short = ({ site }: Computed, name: string) =>
  site && name.endsWith(`.${site.domain}`) ? name.slice(0, -site.domain.length - 1) : name;
