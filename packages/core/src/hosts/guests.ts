import { XMLBuilder, XMLParser } from 'fast-xml-parser';
import type { Facts } from '../model/facts.ts';
import type { Host, Hypervisor, Mould } from '../model/documents.ts';
import { identifier, spread } from '../model/identifier.ts';
import type { Estate } from '../model/estate.ts';
import { type Bin, pack, type Packing, type PackRules, type Piece } from './pack.ts';

export const binOf = (h: Hypervisor): Bin => ({
  name: h.name,
  zone: h.zone ?? h.rack ?? h.name,
  cores: h.cores,
  overcommit: h.overcommit,
  memoryGiB: Math.max(0, h.memoryGiB - h.keepsGiB),
  pools: h.pools.map((p) => ({ name: p.name, media: p.media, sizeGB: p.sizeGB })),
  networks: h.networks.map((n) => n.network),
});
export const pieceOf = (name: string, mould: Mould, group?: string, on?: string): Piece => ({
  name,
  vcpu: mould.vcpu,
  memoryGiB: mould.memoryGiB,
  disks: mould.disks,
  networks: mould.networks,
  ...(group ? { group } : {}),
  ...(on ? { on } : {}),
});

/** Guests that are declared, as pieces that stay where they are. A guest whose mould is gone counts by its facts. */
export function standing(estate: Pick<Estate, 'hosts' | 'moulds'>, site: string): Piece[] {
  const moulds = new Map(estate.moulds.map((m) => [m.name, m]));
  return estate.hosts.flatMap((h): Piece[] => {
    if (!h.guest || h.site !== site || h.state === 'retired') return [];
    const mould = moulds.get(h.guest.mould);
    if (mould) return [pieceOf(h.name, mould, h.guest.group, h.guest.hypervisor)];
    const f = h.facts;
    return f
      ? [
          {
            name: h.name,
            vcpu: f.cores,
            memoryGiB: f.memoryGiB,
            disks: f.disks.map((d) => ({ sizeGB: d.sizeGB })),
            networks: [],
            group: h.guest.group,
            on: h.guest.hypervisor,
          },
        ]
      : [];
  });
}

/** The identifier of a guest. */
export const guestId = (site: string, name: string): string => identifier(`${site}/${name}`);
/** The serial of a guest's disk: a virtual disk has twenty letters for it. */
export const diskSerial = (uuid: string, index: number): string => `${uuid.replaceAll('-', '').slice(0, 16)}-${index}`;
/** The MAC of a guest's adapter: locally administered (IEEE 802), the same every time. */
export const guestMac = (site: string, name: string, index: number): string =>
  `52:54:${(spread(`${site}/${name}/${index}`).slice(0, 8).match(/../g) ?? []).join(':')}`;

/** What a guest has, by its mould: known before it is cast. */
export function factsOf(mould: Mould, site: string, name: string, at: string): Facts {
  return {
    at,
    source: 'mould',
    maker: 'guest',
    model: mould.name,
    serial: guestId(site, name),
    arch: mould.arch,
    cores: mould.vcpu,
    memoryGiB: mould.memoryGiB,
    disks: mould.disks.map((d, i) => ({
      bay: `vd${String.fromCharCode(97 + i)}`,
      sizeGB: d.sizeGB,
      media: d.media ?? 'ssd',
      serial: diskSerial(guestId(site, name), i),
    })),
    nics: mould.networks.map((_, i) => ({ name: `ens${3 + i}`, mac: guestMac(site, name, i), speedGbit: 10, link: true })),
    firmware: { bmc: '', system: '' },
    bootMode: 'UEFI',
    power: 'Off',
  };
}

export interface CastWish {
  site: string;
  mould: string;
  count: number;
  /** Names are this with a number behind it, from the first that is free. */
  stem: string;
  group?: string | undefined;
  rules: PackRules;
}
export interface CastPlan {
  hosts: Host[];
  packing: Packing;
}

/**
 * Guests that could be cast now: names, hypervisors, pools, MACs. Nothing is made yet.
 *
 * @throws Error when there is no such mould or it fits no site
 */
export function castPlan(wish: CastWish, estate: Estate): CastPlan {
  const mould = estate.moulds.find((m) => m.name === wish.mould);
  if (!mould) throw new Error(`there is no mould ${wish.mould}`);
  const hypervisors = estate.hypervisors.filter((h) => h.site === wish.site);
  const taken = new Set(estate.hosts.map((h) => h.name));
  const names: string[] = [];
  for (let i = 1; names.length < wish.count; i++) if (!taken.has(`${wish.stem}${i}`)) names.push(`${wish.stem}${i}`);
  const packing = pack(
    hypervisors.map(binOf),
    [...standing(estate, wish.site), ...names.map((n) => pieceOf(n, mould, wish.group))],
    wish.rules,
  );
  const at = new Map(packing.placed.map((p) => [p.guest, p]));
  const hosts = names.flatMap((name): Host[] => {
    const place = at.get(name);
    const on = hypervisors.find((h) => h.name === place?.hypervisor);
    return place && on ? [guestHost(name, mould, on, place.pools, wish, estate.now)] : [];
  });
  return { hosts, packing };
}

const guestHost = (name: string, mould: Mould, on: Hypervisor, pools: string[], wish: CastWish, now: string): Host => ({
  apiVersion: 'praesidor/v1',
  kind: 'Host',
  name,
  site: wish.site,
  state: 'listed',
  ...(on.zone ? { zone: on.zone } : {}),
  guest: { mould: mould.name, hypervisor: on.name, pools, ...(wish.group ? { group: wish.group } : {}) },
  facts: factsOf(mould, wish.site, name, now),
});

/** What is left at a site's hypervisors as planned, and what is left when any one fails. */
export const standingPacking = (estate: Estate, site: string): Packing =>
  pack(
    estate.hypervisors.filter((h) => h.site === site).map(binOf),
    standing(estate, site).filter((p) => estate.hypervisors.some((h) => h.name === p.on)),
    { strategy: 'spread', tolerate: 0 },
  );

/** A guest as its hypervisor is told of it. */
export interface Domain {
  name: string;
  uuid: string;
  vcpu: number;
  memoryGiB: number;
  disks: { pool: string; volume: string; serial?: string }[];
  nics: { mac: string; bridge: string }[];
  /** Where cloud-init finds its seed (NoCloud over SMBIOS), if it has one. */
  seed?: string;
}
export const volumeOf = (guest: string, index: number) => `${guest}-${index}`;

/** @throws Error when the guest's hypervisor has no bridge for one of its networks */
export function domainOf(host: Host, mould: Mould, on: Hypervisor, seed?: string): Domain {
  const uuid = host.facts?.serial ?? guestId(host.site, host.name);
  return {
    name: host.name,
    uuid,
    vcpu: mould.vcpu,
    memoryGiB: mould.memoryGiB,
    disks: mould.disks.map((_, i) => ({
      pool: host.guest?.pools[i] ?? on.pools[0]?.name ?? '',
      volume: volumeOf(host.name, i),
      serial: host.facts?.disks[i]?.serial ?? diskSerial(uuid, i),
    })),
    nics: mould.networks.map((network, i) => {
      const bridge = on.networks.find((n) => n.network === network)?.bridge;
      if (!bridge) throw new Error(`${on.name} has no bridge for ${network}`);
      return { mac: host.facts?.nics[i]?.mac ?? guestMac(host.site, host.name, i), bridge };
    }),
    ...(seed ? { seed } : {}),
  };
}

const options = { ignoreAttributes: false, attributeNamePrefix: '@' } as const;

/** The domain as libvirt reads it. The boot seed goes in as the SMBIOS serial, where cloud-init's NoCloud looks for it. */
export function domainXml(d: Domain, arch: Mould['arch'] = 'x86-64'): string {
  const x86 = arch === 'x86-64';
  const dev = (i: number) => `vd${String.fromCharCode(97 + i)}`;
  const builder = new XMLBuilder({ ...options, format: true, suppressEmptyNode: true });
  return builder.build({
    domain: {
      '@type': 'kvm',
      name: d.name,
      uuid: d.uuid,
      memory: { '@unit': 'MiB', '#text': Math.round(d.memoryGiB * 1024) },
      vcpu: { '@placement': 'static', '#text': d.vcpu },
      ...(d.seed
        ? { sysinfo: { '@type': 'smbios', system: { entry: { '@name': 'serial', '#text': `ds=nocloud-net;s=${d.seed}` } } } }
        : {}),
      os: {
        '@firmware': 'efi',
        // The program that a system starts with is not signed.
        firmware: { feature: { '@enabled': 'no', '@name': 'secure-boot' } },
        type: { '@arch': x86 ? 'x86_64' : 'aarch64', '@machine': x86 ? 'q35' : 'virt', '#text': 'hvm' },
        boot: { '@dev': 'hd' },
        ...(d.seed ? { smbios: { '@mode': 'sysinfo' } } : {}),
      },
      features: { acpi: {}, ...(x86 ? { apic: {} } : {}) },
      cpu: { '@mode': 'host-model' },
      clock: { '@offset': 'utc' },
      on_poweroff: 'destroy',
      on_reboot: 'restart',
      on_crash: 'destroy',
      devices: {
        disk: d.disks.map((k, i) => ({
          '@type': 'volume',
          '@device': 'disk',
          driver: { '@name': 'qemu', '@type': 'qcow2' },
          source: { '@pool': k.pool, '@volume': k.volume },
          target: { '@dev': dev(i), '@bus': 'virtio' },
          ...(k.serial ? { serial: k.serial } : {}),
        })),
        interface: d.nics.map((n) => ({
          '@type': 'bridge',
          mac: { '@address': n.mac },
          source: { '@bridge': n.bridge },
          model: { '@type': 'virtio' },
        })),
        serial: { '@type': 'pty', target: { '@port': 0 } },
        console: { '@type': 'pty', target: { '@type': 'serial', '@port': 0 } },
        rng: { '@model': 'virtio', backend: { '@model': 'random', '#text': '/dev/urandom' } },
      },
    },
  }) as string;
}

const list = <T>(v: T | T[] | undefined): T[] => (v === undefined ? [] : Array.isArray(v) ? v : [v]);
const units: Record<string, number> = {
  GiB: 1,
  G: 1,
  MiB: 1 / 1024,
  M: 1 / 1024,
  KiB: 1 / 1048576,
  k: 1 / 1048576,
  b: 1 / 1073741824,
};

/**
 * Reads a domain that we wrote, or one like it.
 *
 * @throws Error that says what is missing; documents with entities or a document type are refused
 */
export function readDomain(xml: string): Domain {
  if (xml.length > 200_000) throw new Error('more than 200 kB of XML');
  if (/<!(DOCTYPE|ENTITY)/i.test(xml)) throw new Error('document types and entities are not read');
  type X = Record<string, never> & { '#text'?: string };
  const doc = new XMLParser({ ...options, parseTagValue: false, parseAttributeValue: false }).parse(xml, true) as { domain?: X };
  const d = doc.domain as (Record<string, unknown> & { devices?: Record<string, unknown> }) | undefined;
  if (!d) throw new Error('there is no domain in it');
  const need = (what: string, v: unknown): string => {
    if (typeof v !== 'string' || !v) throw new Error(`${what} is missing`);
    return v;
  };
  const memory = d.memory as string | { '#text': string; '@unit'?: string } | undefined;
  const amount = typeof memory === 'string' ? memory : memory?.['#text'];
  const unit = typeof memory === 'string' ? 'KiB' : (memory?.['@unit'] ?? 'KiB');
  const vcpu = d.vcpu as string | { '#text': string } | undefined;
  const entries = list((d.sysinfo as { system?: { entry?: unknown } } | undefined)?.system?.entry) as {
    '@name': string;
    '#text': string;
  }[];
  const seed = /^ds=nocloud-net;s=(\S+)$/.exec(entries.find((e) => e['@name'] === 'serial')?.['#text'] ?? '')?.[1];
  return {
    name: need('name', d.name),
    uuid: need('uuid', d.uuid),
    vcpu: Number(need('vcpu', typeof vcpu === 'object' ? vcpu['#text'] : vcpu)),
    memoryGiB: Number(need('memory', amount)) * (units[unit] ?? Number.NaN),
    disks: (list(d.devices?.disk) as { source?: Record<string, string>; serial?: string }[]).map((k) => ({
      pool: need('the pool of a disk', k.source?.['@pool']),
      volume: need('the volume of a disk', k.source?.['@volume']),
      ...(k.serial ? { serial: k.serial } : {}),
    })),
    nics: (list(d.devices?.interface) as { mac?: Record<string, string>; source?: Record<string, string> }[]).map((n) => ({
      mac: need('the MAC of an interface', n.mac?.['@address']),
      bridge: need('the bridge of an interface', n.source?.['@bridge']),
    })),
    ...(seed ? { seed } : {}),
  };
}
