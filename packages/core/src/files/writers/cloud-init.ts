import { serverList } from '../../address/parse.ts';
import { resolversOf, timeServersOf } from '../../naming/servers.ts';
import type { PlannedNode } from '../../charter/plan.ts';
import { lowerLinkOf, uplinkOf } from '../../charter/uplink.ts';
import { file, type KitContext, type KitFile, type NodeFile } from '../kit.ts';
import { yaml } from '../quote.ts';
import { accountUser, loginKeys } from './server-account.ts';

const rendered = new WeakMap<KitContext, Map<string, string>>();
/**
 * `write_files` of user-data, as the serialiser writes it. Many files are the same on many hosts, and turning them into YAML takes
 * most of the time of a kit: each is turned once for all hosts of a kit.
 */
function filesText(ctx: KitContext, files: readonly NodeFile[]): string {
  const known = rendered.get(ctx) ?? new Map<string, string>();
  rendered.set(ctx, known);
  const items = files.map((f) => {
    const key = `${f.path} ${f.mode} ${f.content}`;
    // An item of a list two columns further in; empty lines stay empty.
    const text = known.get(key) ?? yaml([{ path: f.path, permissions: f.mode, content: f.content }]).replace(/^(?=.)/gm, '  ');
    known.set(key, text);
    return text;
  });
  return `write_files:\n${items.join('')}`;
}

/** First-boot data of a host for cloud-init's NoCloud source: user-data, vendor-data, meta-data and network-config version 2. */
export function cloudInit(ctx: KitContext, node: PlannedNode, files: readonly NodeFile[]): KitFile[] {
  const { plan } = ctx;
  const site = plan.site;
  const network = plan.network;
  const dir = `hosts/${node.host}`;
  const reports = ctx.reportUrl(node.host);
  const userData = {
    hostname: node.host,
    fqdn: node.name,
    prefer_fqdn_over_hostname: false,
    manage_etc_hosts: 'localhost',
    users: [
      {
        name: 'operator',
        // Debian has a group of that name, and adds nobody to one that it did not make.
        no_user_group: true,
        groups: 'sudo',
        shell: '/bin/bash',
        sudo: 'ALL=(ALL) NOPASSWD:ALL',
        lock_passwd: true,
        ...(plan.charter.sshKeys.length ? { ssh_authorized_keys: plan.charter.sshKeys } : {}),
      },
      ...accountUser(ctx),
    ],
    ...loginKeys(ctx, node.host),
    ssh_pwauth: false,
    disable_root: true,
    ntp: { enabled: true, servers: plan.charter.ntp ? serverList(plan.charter.ntp).servers : timeServersOf(site, network) },
    ...(plan.charter.timezone ? { timezone: plan.charter.timezone } : {}),
    runcmd: [['/usr/local/sbin/praesidor-prepare']],
  };
  // Apart from user-data, which a machine keeps: later, when it starts from its disk, nobody listens there.
  const vendorData = {
    reporting: { praesidor: { type: 'webhook', endpoint: `${reports}/report` } },
    phone_home: { url: `${reports}/phone-home`, post: ['instance_id', 'hostname', 'fqdn', 'pub_key_ed25519'], tries: 10 },
  };
  return [
    file(
      `${dir}/user-data`,
      `#cloud-config\n${yaml(userData)}${filesText(ctx, files)}`,
      ['charter', 'host', 'ledger', 'keyring'],
      true,
    ),
    file(`${dir}/vendor-data`, `#cloud-config\n${yaml(vendorData)}`, ['build'], true),
    file(`${dir}/meta-data`, yaml({ 'instance-id': `${plan.charter.name}-${node.host}`, 'local-hostname': node.host }), [
      'charter.name',
      'host.name',
    ]),
    file(`${dir}/network-config`, yaml({ network: networkConfig(ctx, node) }), [
      'network',
      'site.resolvers',
      'ledger',
      'host.facts.nics',
      'host.uplink',
    ]),
  ];
}

/**
 * The network configuration, version 2, for where cloud-init takes one from beside its data: a medium, a disk, later versions. It says the
 * same as what user-data lays down for systemd-networkd.
 */
function networkConfig({ plan }: KitContext, node: PlannedNode) {
  const { site, network } = plan;
  const uplink = uplinkOf(node);
  const { adapters, bond, vlan } = uplink;
  const mtu = network?.mtu ?? 1500;
  const other = plan.secondNetwork?.gateway;
  const routes = [
    ...(other ? [{ to: 'default', via: other }] : []),
    ...(network?.gateway ? [{ to: 'default', via: network.gateway }] : []),
    ...(network?.routes ?? []),
  ].map(({ to, via }) => ({ to, via }));
  const none = { dhcp4: false, dhcp6: false, 'accept-ra': false };
  const addressed = {
    addresses: [
      `${node.address}/${network?.prefix.split('/')[1] ?? '24'}`,
      ...(node.second ? [`${node.second.address}/${node.second.length}`] : []),
    ],
    ...(routes.length ? { routes } : {}),
    nameservers: { addresses: resolversOf(site, network), search: site ? [site.domain] : [] },
    ...none,
  };
  const adapter = ({ name, mac }: { name: string; mac: string }) => ({ match: { macaddress: mac }, 'set-name': name, mtu });
  const further = node.further ?? [];
  const plain = !bond && !vlan;
  const vlans = Object.fromEntries(
    further.map((f) => [
      f.nic,
      {
        id: f.vlan,
        link: plain && f.on === node.nic ? 'machine' : f.on,
        mtu: f.mtu,
        addresses: [`${f.address}/${f.length}`],
        ...none,
      },
    ]),
  );
  /** Adapters that carry further networks alone. */
  const others = Object.fromEntries(
    further.flatMap((f) =>
      f.adapter
        ? [
            [
              f.adapter.name,
              { ...adapter(f.adapter), mtu: Math.max(...further.filter((x) => x.on === f.on).map((x) => x.mtu)), ...none },
            ],
          ]
        : [],
    ),
  );
  const tagged = (more: object = {}) => (further.length || Object.keys(more).length ? { vlans: { ...more, ...vlans } } : {});
  if (plain)
    return {
      version: 2,
      ethernets: { machine: { ...adapter({ name: node.nic, mac: node.mac }), ...addressed }, ...others },
      ...tagged(),
    };
  const below = lowerLinkOf(uplink);
  const carrier = vlan ? none : addressed;
  return {
    version: 2,
    ethernets: { ...Object.fromEntries(adapters.map((a) => [a.name, { ...adapter(a), ...(bond ? none : carrier) }])), ...others },
    ...(bond
      ? {
          bonds: {
            [below]: {
              interfaces: adapters.map((a) => a.name),
              macaddress: node.mac,
              mtu,
              parameters: {
                mode: bond,
                'mii-monitor-interval': 100,
                ...(bond === '802.3ad'
                  ? { 'lacp-rate': 'fast', 'transmit-hash-policy': 'layer3+4' }
                  : { primary: adapters[0]?.name ?? '' }),
              },
              ...carrier,
            },
          },
        }
      : {}),
    ...tagged(vlan ? { [node.nic]: { id: vlan, link: below, mtu, ...addressed } } : {}),
  };
}
