import { formatIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { creatableKinds } from '../model/starter.ts';
import type { Estate } from '../model/estate.ts';
import type { Thing } from './thing.ts';

const act = (name: string, hint: string, go: string, site = '', also = ''): Thing => ({
  name,
  hint,
  also,
  go,
  site,
  sort: 'act',
});

/** What can be done, each with its subject, and where. A new act is a line. */
export function actsOn(estate: Estate): Thing[] {
  const built = new Set(estate.hosts.flatMap((h) => (h.held && h.state === 'serving' ? [h.held.charter] : [])));
  return [
    ...creatableKinds.map((k) => act(`declare a ${k.toLowerCase()}`, 'new document', `/declare?kind=${k}`, '', 'new add create')),
    act(
      'exchange bundles with other installations',
      'the plan for a sealed room, and what came of it',
      '/estate/installations',
      '',
      'installation instance bundle sealed carry media export',
    ),
    act('see proposals', 'drafts of others, approvals', '/proposals', '', 'propose approve review second person four eyes'),
    act('add to the keyring', 'a credential', '/keyring?add=', '', 'new credential secret'),
    act('take in releases', 'from a source', '/images?published=1', '', 'import'),
    act('import hosts', 'from CSV', '/hosts?import=1', '', 'csv file'),
    ...estate.charters.map((c) =>
      act(
        `build ${c.name}`,
        built.has(c.name) ? 'it serves' : 'cluster',
        `/clusters/${c.name}?site=${c.site}`,
        c.site,
        'start install',
      ),
    ),
    ...estate.registries
      .filter((r) => r.role !== 'source')
      .flatMap((r) => [
        act(`ship to ${r.name}`, 'what it lacks', `/images?plan=${r.name}&site=${r.site}`, r.site, 'shipment mirror copy images'),
        act(
          `clean up ${r.name}`,
          'delete images',
          `/images/clean-up?registry=${r.name}&site=${r.site}`,
          r.site,
          'prune space disk',
        ),
        act(`renew certificate of ${r.name}`, 'trust', `/images/rules?registry=${r.name}&site=${r.site}`, r.site, 'tls ca'),
      ]),
    ...estate.networks
      .filter((n) => n.purpose === 'management')
      .map((n) => {
        const r = prefixRange(parsePrefix(n.prefix));
        const range = `${formatIp({ v: r.v, n: r.first + 1n })}-${formatIp({ v: r.v, n: r.last - 1n })}`;
        return act(`sweep ${n.name}`, n.prefix, `/hosts?site=${n.site}&sweep=${range}`, n.site, 'find hosts bmc controllers');
      }),
    ...estate.networks.map((n) =>
      act(
        `reserve an address in ${n.name}`,
        n.prefix,
        `/addresses?site=${n.site}&net=${n.name}&reserve=1`,
        n.site,
        'next free ip',
      ),
    ),
    ...estate.charters.map((c) =>
      act(
        `trace the path to ${c.name}`,
        'route reach',
        `/addresses/trace?site=${c.site}&to=${c.name}`,
        c.site,
        'hops mtu gateway way back',
      ),
    ),
    ...estate.zones.map((z) =>
      act(
        `send the DNS update of ${z.name}`,
        'planned against served',
        `/addresses/names?zone=${z.name}&site=${z.site}`,
        z.site,
        'records',
      ),
    ),
    ...estate.hosts.flatMap((h) =>
      h.bmc
        ? [act(`control power of ${h.name}`, h.state, `/hosts/${h.name}?site=${h.site}`, h.site, 'on off restart reset boot')]
        : [],
    ),
  ];
}
