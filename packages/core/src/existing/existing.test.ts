import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import type { Charter, Estate } from '../model/index.ts';
import { draftOf, type FoundCluster, readKubeconfig } from './index.ts';

const b64 = (kind: string) => btoa(`-----BEGIN ${kind}-----\nabc\n-----END ${kind}-----\n`);
const config = (more: { cluster?: string; user?: string; rest?: string; current?: string } = {}) => `apiVersion: v1
kind: Config
${more.current ?? 'current-context: a'}
contexts: [{name: a, context: {cluster: reef, user: me}}, {name: b, context: {cluster: other, user: me}}]
clusters:
- name: reef
  cluster: {server: 'https://kube.reef.example:7443', certificate-authority-data: ${b64('CERTIFICATE')}${more.cluster ?? ''}}
users:
- name: me
  user: {${more.user ?? `client-certificate-data: ${b64('CERTIFICATE')}, client-key-data: ${b64('PRIVATE KEY')}`}}
${more.rest ?? ''}`;

describe('a kubeconfig', () => {
  it('leads into the cluster of its current context', () => {
    expect(readKubeconfig(config({ cluster: ', tls-server-name: api.reef.example' }))).toMatchObject({
      cluster: 'reef',
      host: 'kube.reef.example',
      port: 7443,
      serverName: 'api.reef.example',
      ca: expect.stringContaining('BEGIN CERTIFICATE'),
      key: expect.stringContaining('BEGIN PRIVATE KEY'),
    });
  });
  it.each([
    ['[', /^It is no YAML/],
    ['kind: Pod', /^It is no kubeconfig: kind/],
    [config({ current: 'current-context: c' }), /^It has no context c/],
    [config({ current: '' }), /several contexts/],
    [config({ current: 'current-context: b' }), /names a cluster or a user/],
    [config({ cluster: ', insecure-skip-tls-verify: true' }), /does not verify/],
    [config().replace('https:', 'http:'), /over http, not over https/],
    [config().replace("'https://kube.reef.example:7443'", 'nowhere'), /is no URL/],
    [config({ user: 'token: abc' }), /no client certificate.*--flatten/],
    [config({ user: 'exec: {command: /bin/true, apiVersion: v1}' }), /no client certificate/],
    [
      config().replace(/certificate-authority-data: \S+?(?=})/, 'certificate-authority: /etc/ca.crt'),
      /no certificate of an authority/,
    ],
    [config().replace(/client-key-data: \S+?(?=})/, "client-key-data: '%%%'"), /not written in base64/],
  ])('that cannot be used says why', (text, why) => {
    const read = readKubeconfig(text);
    expect('fault' in read ? read.fault : read).toMatch(why);
  });
});

describe('a draft of a cluster that was found', () => {
  const whole = goodEstate();
  const plover = whole.charters[0] as Charter;
  const plan = resolve(plover, whole);
  /** The estate before anybody had plover: its hosts are free, its addresses nobody's. */
  const estate: Estate = {
    ...whole,
    charters: [],
    hosts: whole.hosts.map(({ held: _, ...h }) => ({
      ...h,
      state: h.state === 'held' || h.state === 'serving' ? ('fit' as const) : h.state,
    })),
    reservations: whole.reservations.filter((r) => r.owner.kind !== 'charter'),
  };
  const found: FoundCluster = {
    name: 'plover',
    version: plan.release?.version ?? '',
    api: { host: plan.api.name, address: plan.api.address, port: plan.api.port },
    nodes: plan.nodes.map((n) => ({
      name: n.host,
      controlPlane: n.role === 'control-plane',
      addresses: [n.address],
      version: plan.release?.version ?? '',
      ready: true,
      taints: [],
    })),
    pods: plover.pods.range,
    services: plover.services.range,
    certificate: { names: [plan.api.name, plan.api.address], until: '2027-01-01T00:00:00Z' },
  };
  it('of one that a charter gave is that charter: hosts, roles, ranges, name and address of its API', () => {
    const d = draftOf(found, estate, plover.site, 'plover');
    expect(d.lacks).toEqual([]);
    expect(d.charter).toMatchObject({
      machineNetwork: plover.machineNetwork,
      mirror: plover.mirror,
      release: plover.release,
      pods: { range: plover.pods.range },
      services: { range: plover.services.range },
    });
    const again = resolve(d.charter as Charter, { ...estate, charters: [d.charter as Charter] });
    expect(again.nodes.map((n) => [n.host, n.role]).sort()).toEqual(plan.nodes.map((n) => [n.host, n.role]).sort());
    expect(d.rows.filter((r) => !r.same && !r.what.startsWith('node '))).toEqual([]);
  });
  it('names what is not there: hosts, a release, a network, ranges', () => {
    const odd = draftOf(
      {
        ...found,
        version: '1.20.1',
        nodes: [{ ...(found.nodes[0] as FoundCluster['nodes'][0]), name: 'Nobody.example', addresses: ['192.0.2.7'] }],
        pods: undefined as never,
      },
      estate,
      plover.site,
      'odd',
    );
    expect(odd.charter).toBeUndefined();
    expect(odd.lacks.join('\n')).toMatch(
      /No network of the site holds.*192\.0\.2\.7[\s\S]*There is no release 1\.20\.1[\s\S]*range of its pods[\s\S]*Nobody\.example: no host of the site is called nobody/,
    );
  });
  it('takes a host by its name with a domain, else by an address of the ledger; never one that is held', () => {
    const [first, second, third] = found.nodes as [FoundCluster['nodes'][0], FoundCluster['nodes'][0], FoundCluster['nodes'][0]];
    const e: Estate = {
      ...estate,
      reservations: [
        ...estate.reservations,
        {
          kind: 'Reservation',
          network: plover.machineNetwork,
          address: second.addresses[0] ?? '',
          owner: { kind: 'host', name: second.name },
        } as Estate['reservations'][0],
      ],
      hosts: estate.hosts.map((h) => (h.name === third.name ? { ...h, held: { charter: 'tern', role: 'worker' } as never } : h)),
    };
    const d = draftOf(
      { ...found, nodes: [{ ...first, name: `${first.name}.kestrel.example` }, { ...second, name: 'ip-1' }, third] },
      e,
      plover.site,
      'x',
    );
    expect(d.nodes.map((m) => [m.host, m.why])).toEqual([
      [first.name, undefined],
      [second.name, undefined],
      [third.name, 'it is held by tern'],
    ]);
  });
});
