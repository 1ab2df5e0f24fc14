import type { Finding } from '../checks/check.ts';
import { charterFields } from '../model/fields/charter.ts';
import type { Estate } from '../model/estate.ts';
import { placeOf } from '../moves/place.ts';
import { actsOn } from './acts.ts';
import type { Sort, Thing } from './thing.ts';

/** Everything of an estate that somebody may look for: what stands in it, what was found, what can be done. */
export function thingsOf(estate: Estate, findings: readonly Finding[]): Thing[] {
  const networkSite = new Map(estate.networks.map((n) => [n.name, n.site]));
  const thing = (sort: Sort, site: string, name: string, hint: string, go: string, also = ''): Thing => ({
    sort,
    site,
    name,
    hint,
    go,
    also,
  });
  const words = (...list: (string | number | undefined)[]) => list.filter((x) => x !== undefined && x !== '').join(' ');
  return [
    ...actsOn(estate),
    ...estate.sites.map((s) => thing('site', s.name, s.title, 'site', `/estate?site=${s.name}`, words(s.name, s.domain))),
    ...estate.charters.map((c) =>
      thing(
        'cluster',
        c.site,
        c.name,
        words('cluster', c.release),
        `/clusters/${c.name}?site=${c.site}`,
        words(c.purpose, c.owner),
      ),
    ),
    ...estate.hosts.map((h) =>
      thing(
        'host',
        h.site,
        h.name,
        words('host,', h.state, h.facts?.serial),
        `/hosts/${h.name}?site=${h.site}`,
        words(
          h.facts?.serial,
          h.bmc?.address,
          h.facts?.model,
          ...(h.facts?.nics.map((n) => n.mac) ?? []),
          ...(h.facts?.disks.map((d) => d.serial) ?? []),
        ),
      ),
    ),
    ...estate.hypervisors.map((h) =>
      thing('host', h.site, h.name, 'hypervisor', `/hosts/hypervisors?site=${h.site}`, words(h.endpoint)),
    ),
    ...estate.networks.map((n) =>
      thing(
        'network',
        n.site,
        n.name,
        words('network,', n.prefix),
        `/addresses?site=${n.site}&net=${n.name}`,
        words(n.prefix, n.vlan && `vlan ${n.vlan}`, n.purpose, n.gateway),
      ),
    ),
    ...estate.backupStores.map((s) =>
      thing(
        'store',
        s.site,
        s.name,
        words('backup store,', s.endpoint ?? s.server),
        `/clusters/stores?site=${s.site}&at=${s.name}`,
        words(s.title, s.bucket),
      ),
    ),
    ...estate.teams.map((t) =>
      thing('team', '', t.name, words('team,', t.title), `/people/teams?at=${t.name}`, words(t.title, t.sites?.join(' '))),
    ),
    ...estate.gateways.map((g) =>
      thing(
        'network',
        g.site,
        g.name,
        words('gateway,', g.members.map((m) => m.name).join(', ')),
        `/addresses/routes?site=${g.site}&gateway=${g.name}`,
        words(g.title, ...g.members.flatMap((m) => [m.name, ...m.interfaces.map((f) => f.address)])),
      ),
    ),
    ...estate.registries.map((r) =>
      thing('registry', r.site, r.name, words('registry,', r.endpoint), `/images?site=${r.site}`, words(r.endpoint)),
    ),
    ...[...estate.releases, ...estate.addons].map((r) =>
      thing('image', '', r.name, r.kind === 'Release' ? 'release' : `add-on ${r.version}`, '/images', words(r.version)),
    ),
    ...Object.values(estate.observed.bills).flatMap((b) =>
      b.images.map((i) =>
        thing(
          'image',
          '',
          i.ref,
          `image of ${b.name}`,
          `/images?image=${encodeURIComponent(i.ref)}`,
          words(i.digest, ...i.manifests),
        ),
      ),
    ),
    ...estate.zones.map((z) =>
      thing('zone', z.site, z.name, 'DNS zone', `/addresses/names?zone=${z.name}&site=${z.site}`, words(z.key)),
    ),
    ...estate.reservations.map((r) => {
      const site = networkSite.get(r.network) ?? '';
      return thing(
        'address',
        site,
        r.name ?? r.address,
        r.name ? r.address : `address, ${r.owner.name}`,
        `/addresses?net=${r.network}&at=${r.address}${site ? `&site=${site}` : ''}`,
        words(r.address, r.mac, r.owner.name, r.note),
      );
    }),
    ...estate.records.map((r) =>
      thing('record', '', r.name, words('record', r.type, r.value), `/addresses/names?zone=${r.zone}`, words(r.value)),
    ),
    ...estate.charters.flatMap((c) =>
      Object.entries(charterFields)
        .filter(([, w]) => !w.by)
        .map(([path, w]) =>
          thing(
            'setting',
            c.site,
            `${w.label} of ${c.name}`,
            'setting',
            `/clusters/${c.name}?site=${c.site}&field=${path}`,
            path,
          ),
        ),
    ),
    ...findings.map((f) => thing('finding', f.site, f.title, f.code, placeOf(f.subject, f.site), f.code)),
  ];
}
