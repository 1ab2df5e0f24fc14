import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Doc, readDocuments } from '@praesidor/core/model';
import { parse, stringify } from 'yaml';
import { smallStub } from './firmware.ts';
import type { Hardware } from './machine.ts';
import type { Publication } from './source.ts';
import type { RegistrySpec, WorldSpec } from './world.ts';

interface WorldFile {
  machines: WorldSpec['machines'];
  hypervisors?: WorldSpec['hypervisors'];
  controllers?: { site: string; user: string; password: string; vlan: number; switch: string; parts: Record<string, string> }[];
  dns: WorldSpec['dns'];
  time?: string[];
  routers?: WorldSpec['routers'];
  objects?: WorldSpec['objects'];
  providers?: WorldSpec['providers'];
  authorities: WorldSpec['authorities'];
  registries: (Omit<RegistrySpec, 'publications' | 'documents'> & { publishes: string[]; offers?: string[] })[];
  /** Documents that nobody declared yet. */
  documents?: string[];
}

/** The world of a YAML file; what registries publish comes from the releases and add-ons of an estate, as `as` gives them. */
export function readWorld(file: string, estateDir: string, as: (doc: Doc) => Doc = (doc) => doc): WorldSpec {
  const raw = parse(readFileSync(file, 'utf8')) as WorldFile;
  const docs = readdirSync(estateDir)
    .filter((f) => f.endsWith('.yaml'))
    .sort()
    .flatMap((f) => readDocuments(readFileSync(join(estateDir, f), 'utf8'), f).docs.map((d) => as(d.doc)));
  const elsewhere = (raw.documents ?? []).flatMap((text) => readDocuments(text, 'documents').docs.map((d) => as(d.doc)));
  const known = [...docs, ...elsewhere];
  const documents = (names: string[]) =>
    known.flatMap((d) =>
      (d.kind === 'Release' || d.kind === 'Addon') && names.includes(d.name) ? [{ tag: d.name, text: stringify(d) }] : [],
    );
  const publications = (names: string[]): Publication[] =>
    known.flatMap((d) =>
      (d.kind === 'Release' || d.kind === 'Addon') && names.includes(d.name)
        ? d.components.map((c) => publication(c.image, c.on))
        : [],
    );
  return {
    ...raw,
    hypervisors: raw.hypervisors ?? [],
    machines: [...raw.machines, ...declared(raw, docs)],
    registries: raw.registries.map(({ publishes, offers = [], ...r }) => ({
      ...r,
      publications: publications([...publishes, ...offers.filter((o) => elsewhere.some((d) => 'name' in d && d.name === o))]),
      documents: documents(offers),
    })),
  };
}

/** Machines of sites whose controllers are played after what the estate says of its hosts. */
function declared(raw: WorldFile, docs: readonly Doc[]): Hardware[] {
  return (raw.controllers ?? []).flatMap((c) =>
    docs.flatMap((d): Hardware[] =>
      d.kind === 'Host' && d.site === c.site && d.bmc && d.facts
        ? [
            {
              name: d.name,
              hostName: d.name,
              ...(d.rack ? { rack: d.rack } : {}),
              ...(d.unit ? { unit: d.unit } : {}),
              maker: d.facts.maker,
              model: d.facts.model,
              serial: d.facts.serial,
              cores: d.facts.cores,
              memoryGiB: d.facts.memoryGiB,
              disksGB: d.facts.disks.map((k) => k.sizeGB),
              macs: d.facts.nics.map((n) => n.mac),
              linkGbit: d.facts.nics[0]?.speedGbit ?? 10,
              firmware: d.facts.firmware.system,
              parts: c.parts,
              vlan: c.vlan,
              switch: c.switch,
              on: d.facts.power === 'On',
              bmc: { address: d.bmc.address, user: c.user, password: c.password, firmware: d.facts.firmware.bmc },
            },
          ]
        : [],
    ),
  );
}

/** Brings a core release to the size of a real one on paper. */
const grown = 0.74;

/** What a system of Debian 12 says of itself, with a kubelet that was added. */
export const systemContents = {
  made: '2026-07-11T10:16:37.000Z',
  packages: Object.entries({
    'linux-image-amd64': '6.1.158-1',
    'cloud-init': '22.4.2-1+deb12u3',
    systemd: '252.39-1~deb12u1',
    'systemd-resolved': '252.39-1~deb12u1',
    containerd: '1.6.20~ds1-1+deb12u2',
    runc: '1.1.5+ds1-1+deb12u1',
    'containernetworking-plugins': '1.1.1+ds1-3+b19',
    keepalived: '1:2.2.7-1+b2',
    chrony: '4.3-2+deb12u1',
    curl: '7.88.1-10+deb12u14',
    e2fsprogs: '1.47.0-2+b2',
    dosfstools: '4.2-1',
    fdisk: '2.38.1-5+deb12u3',
  }).map(([name, version]) => ({ name, version })),
  added: [{ path: '/usr/bin/kubelet', sha256: 'c'.repeat(64) }],
};

/** Layers of an image: a base shared by many, some of its own that stay over versions, and some of this version. */
function publication(image: string, on: string): Publication {
  const [path = '', version = ''] = image.split('/').slice(1).join('/').split(':');
  const n = [...path].reduce((a, c) => (a * 31 + c.charCodeAt(0)) >>> 0, 7);
  if (on === 'boot')
    return {
      image,
      layers: [
        { key: `${image} kernel`, declaredBytes: 14e6, title: 'kernel' },
        { key: `${image} initrd`, declaredBytes: 86e6, title: 'initrd' },
        { key: `${image} root`, declaredBytes: 412e6, title: 'root' },
        { key: 'stub', declaredBytes: 90e3, title: 'stub', bytes: smallStub() },
        { key: 'contents', declaredBytes: 21e3, title: 'contents', bytes: Buffer.from(JSON.stringify(systemContents)) },
      ],
    };
  const base = n % 4;
  const lasting = 2 + (n % 2);
  const fresh = 2 + ((n >>> 3) % 4);
  return {
    image,
    layers: [
      { key: `base ${base}`, declaredBytes: Math.round(grown * (28e6 + base * 3e6)) },
      ...Array.from({ length: lasting }, (_, i) => ({
        key: `${path} ${i}`,
        declaredBytes: Math.round(grown * (16e6 + ((n >>> (i + 2)) % 29) * 1e6)),
      })),
      ...Array.from({ length: fresh }, (_, i) => ({
        key: `${path} ${version} ${i}`,
        declaredBytes: Math.round(grown * (4e6 + ((n >>> (i + 5)) % 17) * 1e6)),
      })),
    ],
  };
}
