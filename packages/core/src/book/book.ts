import { sheetOf } from '../charter/index.ts';
import { planOf } from '../charter/resolve.ts';
import type { ChangePlan } from '../changes/index.ts';
import type { Finding } from '../checks/index.ts';
import { portsOf } from '../hosts/cabling.ts';
import { rackSvg, rackView, type Racked, thingsOf } from '../hosts/rack.ts';
import { hostsByAddress } from '../ledger/host-of.ts';
import type { Host, Site } from '../model/documents.ts';
import { byName, sortKey } from '../model/estate.ts';
import { plannedRecords, recordsOfZone } from '../naming/plan.ts';
import type { View } from '../reading/index.ts';
import { bytesText, counted, momentText, secondsText } from '../words/index.ts';
import { parseIp } from '../address/parse.ts';

/** A table of the book: heads, rows, and which columns are addresses, digests and such. */
export interface Table {
  heads: readonly string[];
  rows: readonly (readonly string[])[];
  mono?: readonly number[];
  /** Columns that somebody writes into by hand. */
  blank?: readonly number[];
}
export type Part =
  | { is: 'facts'; rows: readonly (readonly [string, string])[] }
  | { is: 'table'; title?: string; table: Table }
  | { is: 'drawing'; svg: string; about: string }
  | { is: 'text'; text: string };
export interface Chapter {
  title: string;
  parts: readonly Part[];
}
/** All that somebody needs who stands at a site without a network. It has no secrets: what it is made from has none. */
export interface Book {
  site: { name: string; title: string };
  /** When it was made, in the time of the site, and in UTC. */
  made: string;
  utc: string;
  /** Of the estate that it was made from. */
  revision: number;
  chapters: readonly Chapter[];
}

/** What the estate itself does not have. */
export interface Beside {
  revision: number;
  now: string;
  findings: readonly Finding[];
  /** The change that comes next of each cluster of the site, where one is due. */
  due: ReadonlyMap<string, ChangePlan>;
  /** SHA-256 fingerprints of the authorities of registries, by registry. */
  authorities: Readonly<Record<string, readonly string[]>>;
  /** Installations whose shipments are trusted, with the fingerprints of their keys. */
  trusted: readonly { name: string; fingerprint: string }[];
}

const none = '—';
const words = (l: string | readonly string[]): string[] => [l].flat().flatMap((t) => t.split(/[\s,;]+/).filter(Boolean));
const list = (texts: readonly string[]): string => texts.join(', ') || none;

/** The book of a site; undefined where there is no such site. */
export function bookOf(view: View, name: string, beside: Beside): Book | undefined {
  const site = view.get('Site', name);
  if (!site) return undefined;
  return {
    site: { name, title: site.title },
    made: `${momentText(beside.now, site.timezone)} (${site.timezone})`,
    utc: beside.now,
    revision: beside.revision,
    chapters: chapters.map((c) => ({ title: c.title, parts: c.parts(view, site, beside) })).filter((c) => c.parts.length),
  };
}

interface Writer {
  title: string;
  parts: (view: View, site: Site, beside: Beside) => Part[];
}
const hostsAt = (view: View, site: string): Host[] =>
  view
    .by('Host', 'site', site)
    .filter((h) => h.state !== 'sighted')
    .sort(byName);
const racked = (view: View, site: string): Racked[] =>
  thingsOf(view.by('Host', 'site', site), view.by('Hypervisor', 'site', site));

/** The chapters in their order. A new one is a line. */
const chapters: readonly Writer[] = [
  {
    title: 'The site',
    parts: (view, s, { findings }) => {
      const open = findings.filter((f) => f.site === s.name && f.severity !== 'note');
      return [
        {
          is: 'facts',
          rows: [
            ['Short name', s.name],
            ['Kind of site', { hall: 'hall', 'sealed-room': 'sealed room', edge: 'edge site' }[s.form]],
            ['Reach', { open: 'open', thin: 'thin', sealed: 'sealed: no path, media only' }[s.reach]],
            ['Time zone', s.timezone],
            ['DNS domain', s.domain],
            ['Resolvers', list(words(s.resolvers))],
            ['Time servers', list(words(s.ntp))],
            ['Racks', list(s.racks.map((r) => `${r.name} (${counted(r.units, 'unit')})`))],
            ...(s.zones.length
              ? ([
                  [
                    'Zones',
                    list(s.zones.map((z) => `${z.name}: rack ${z.rack}${z.from ? `, units ${z.from} to ${z.to ?? ''}` : ''}`)),
                  ],
                ] as const)
              : []),
            [
              'Declared here',
              `${counted(hostsAt(view, s.name).length, 'host')}, ${counted(view.by('Charter', 'site', s.name).length, 'cluster')}`,
            ],
          ],
        },
        {
          is: 'table',
          title: 'Whom to call',
          table: {
            heads: ['Who', 'For', 'How'],
            // Nobody is known: there is room to write somebody down.
            rows: s.contacts?.length ? s.contacts.map((c) => [c.name, c.for ?? '', c.call]) : [1, 2, 3].map(() => ['', '', '']),
            ...(s.contacts?.length ? {} : { blank: [0, 1, 2] }),
          },
        },
        ...(open.length
          ? [
              {
                is: 'table' as const,
                title: 'Open findings',
                table: {
                  heads: ['Code', 'What', 'Where'],
                  rows: open.map((f) => [f.code, f.title, `${f.subject.kind} ${f.subject.name}`]),
                  mono: [0],
                },
              },
            ]
          : []),
      ];
    },
  },
  {
    title: 'Racks',
    parts: (view, s) => {
      const things = racked(view, s.name);
      return s.racks.map((r) => ({
        is: 'drawing' as const,
        about: `Rack ${r.name}, front and rear`,
        svg: rackSvg(
          '',
          (['front', 'rear'] as const).map((side) => ({ side, view: rackView(s, r.name, things, side) })),
        ),
      }));
    },
  },
  {
    title: 'Hosts',
    parts: (view, s) => {
      const owners = hostsByAddress(view.all('Reservation'));
      const addresses = new Map<string, string[]>();
      for (const [address, host] of owners) addresses.set(host, [...(addresses.get(host) ?? []), address]);
      const hosts = hostsAt(view, s.name);
      const hypervisors = view.by('Hypervisor', 'site', s.name);
      return [
        ...(hosts.length
          ? [
              {
                is: 'table' as const,
                table: {
                  heads: ['Host', 'Rack, unit', 'State', 'Of', 'Machine', 'Serial', 'Controller', 'Addresses'],
                  rows: hosts.map((h) => [
                    h.name,
                    h.guest ? `on ${h.guest.hypervisor}` : placeText(h),
                    h.state,
                    h.held ? `${h.held.charter}, ${h.held.role}` : none,
                    [h.facts?.maker, h.facts?.model].filter(Boolean).join(' ') || none,
                    h.facts?.serial || none,
                    h.bmc?.address ?? none,
                    list(addresses.get(h.name) ?? []),
                  ]),
                  mono: [0, 5, 6, 7],
                },
              },
            ]
          : []),
        ...(hypervisors.length
          ? [
              {
                is: 'table' as const,
                title: 'Hypervisors',
                table: {
                  heads: ['Hypervisor', 'Rack, unit', 'Endpoint', 'Cores', 'Memory'],
                  rows: [...hypervisors]
                    .sort(byName)
                    .map((h) => [h.name, placeText(h), h.endpoint, String(h.cores), `${h.memoryGiB} GiB`]),
                  mono: [0, 2],
                },
              },
            ]
          : []),
      ];
    },
  },
  {
    title: 'Cabling',
    parts: (view, s) => {
      const rows = hostsAt(view, s.name).flatMap((h) =>
        portsOf(h, { networks: [...view.by('Network', 'site', s.name)], reservations: [...view.all('Reservation')] }).map((p) => [
          h.name,
          p.nic.name,
          p.nic.mac,
          p.nic.speedGbit ? `${p.nic.speedGbit} Gbit/s` : none,
          p.nic.link ? 'link' : 'no link',
          list(p.networks.map((n) => `${n.name}${n.address ? ` ${n.address}` : ''}`)),
        ]),
      );
      return rows.length
        ? [{ is: 'table', table: { heads: ['Host', 'Adapter', 'MAC', 'Speed', 'Link', 'Networks'], rows, mono: [0, 1, 2] } }]
        : [];
    },
  },
  {
    title: 'Networks and gateways',
    parts: (view, s) => {
      const networks = [...view.by('Network', 'site', s.name)].sort(byName);
      const gateways = [...view.by('Gateway', 'site', s.name)].sort(byName);
      const rows = gateways.flatMap((g) => [
        ...g.members.flatMap((m) => m.interfaces.map((f) => [g.name, m.name, f.network, f.address])),
        ...g.addresses.map((a) => [g.name, `moves between them (${a.id})`, a.network, a.address]),
      ]);
      return [
        ...(networks.length
          ? [
              {
                is: 'table' as const,
                table: {
                  heads: ['Network', 'Purpose', 'Prefix', 'VLAN', 'Gateway', 'MTU'],
                  rows: networks.map((n) => [
                    n.name,
                    n.purpose,
                    n.prefix,
                    n.vlan === undefined ? none : String(n.vlan),
                    n.gateway ?? none,
                    String(n.mtu),
                  ]),
                  mono: [0, 2, 4],
                },
              },
            ]
          : []),
        ...(rows.length
          ? [
              {
                is: 'table' as const,
                title: 'Gateways',
                table: { heads: ['Gateway', 'Member', 'Network', 'Address'], rows, mono: [0, 1, 2, 3] },
              },
            ]
          : []),
      ];
    },
  },
  {
    title: 'Addresses',
    parts: (view, s) =>
      [...view.by('Network', 'site', s.name)].sort(byName).flatMap((n): Part[] => {
        const here = view.by('Reservation', 'network', n.name).filter((r) => !r.resting);
        const rows = [
          ...n.dhcp.map((d) => [d.range, d.name, 'DHCP scope']),
          ...n.pools.map((p) => [p.range, p.name, `pool: ${p.use}`]),
          ...[...here]
            .sort((a, b) => (parseIp(a.address).n < parseIp(b.address).n ? -1 : 1))
            .map((r) => [r.address, r.name ?? none, `${r.owner.name}${r.owner.use ? `, ${r.owner.use}` : ''}`]),
        ];
        return rows.length
          ? [{ is: 'table', title: `${n.name}, ${n.prefix}`, table: { heads: ['Address', 'Name', 'For'], rows, mono: [0, 1] } }]
          : [];
      }),
  },
  {
    title: 'Names',
    parts: (view, s) => {
      const all = plannedRecords(view);
      return [...view.by('Zone', 'site', s.name)].sort(byName).map(
        (z): Part => ({
          is: 'table',
          title: `${z.name}, primary ${z.primary}`,
          table: {
            heads: ['Name', 'Type', 'Value'],
            rows: recordsOfZone(all, z.name).map((r) => [r.name, r.type, r.value]),
            mono: [0, 1, 2],
          },
        }),
      );
    },
  },
  {
    title: 'Registries and trust',
    parts: (view, s, { authorities, trusted }) => {
      const registries = [...view.by('Registry', 'site', s.name)].sort(byName);
      return [
        ...(registries.length
          ? [
              {
                is: 'table' as const,
                table: {
                  heads: ['Registry', 'Role', 'Endpoint', 'Runs on', 'SHA-256 of its authority'],
                  rows: registries.map((r) => [r.name, r.role, r.endpoint, r.host ?? none, list(authorities[r.name] ?? [])]),
                  mono: [0, 2, 4],
                },
              },
            ]
          : []),
        ...(trusted.length
          ? [
              {
                is: 'table' as const,
                title: 'Installations whose shipments are trusted',
                table: {
                  heads: ['Installation', 'SHA-256 of its key'],
                  rows: trusted.map((t) => [t.name, t.fingerprint]),
                  mono: [1],
                },
              },
            ]
          : []),
      ];
    },
  },
  {
    title: 'Clusters',
    parts: (view, s) =>
      [...view.by('Charter', 'site', s.name)].sort(byName).flatMap((c): Part[] => {
        const plan = planOf(view, c.name);
        const i = plan.images;
        return [
          {
            is: 'table',
            title: `${c.name}: release ${c.release}${c.purpose ? `, ${c.purpose}` : ''}${c.owner ? `, of ${c.owner}` : ''}`,
            table: {
              heads: ['What follows', 'Is'],
              rows: [
                ...sheetOf(plan).map((f): [string, string] => [f.label, f.text]),
                ['Images', i.known ? `${counted(i.images, 'image')}, ${bytesText(i.bytes)}` : 'their bill is not computed yet'],
              ],
              mono: [1],
            },
          },
          {
            is: 'table',
            title: `Nodes of ${c.name}`,
            table: {
              heads: ['Host', 'Role', 'Address', 'Name', 'Rack', 'Zone'],
              rows: [...plan.nodes]
                .sort((a, b) => (sortKey(a.host) < sortKey(b.host) ? -1 : 1))
                .map((n) => [n.host, n.role, n.address, n.name, n.rack || none, n.zone || none]),
              mono: [0, 2, 3],
            },
          },
        ];
      }),
  },
  {
    title: 'The next change of each cluster',
    parts: (view, s, { due }) =>
      [...view.by('Charter', 'site', s.name)].sort(byName).map((c): Part => {
        const change = due.get(c.name);
        if (!change) return { is: 'text', text: `${c.name}: nothing is due.` };
        return {
          is: 'table',
          title: change.title,
          table: {
            heads: ['', 'Step', 'At', 'Usually', 'Done at', 'Initials'],
            rows: change.steps.map((x, n) => [String(n + 1), x.title, x.lane, secondsText(x.p50), '', '']),
            blank: [4, 5],
          },
        };
      }),
  },
];

const placeText = (h: { rack?: string | undefined; unit?: number | undefined; height?: number | undefined }): string =>
  h.rack
    ? `${h.rack}${h.unit === undefined ? '' : ` · ${h.unit}${(h.height ?? 1) > 1 ? `–${h.unit + (h.height ?? 1) - 1}` : ''}`}`
    : none;
