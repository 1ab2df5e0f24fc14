import { completeFacts, type Completion, type Fact, factFilter, type Filter } from '../words/filter.ts';
import type { Host } from '../model/documents.ts';
import type { Fitness } from './fitness.ts';

export type { Completion } from '../words/filter.ts';
/** A filter of hosts, in the language of words/filter.ts. */
export type HostFilter = Filter<Host>;

const bytes = { '': 1, gib: 1, gb: 1, tib: 1024, tb: 1000, mib: 1 / 1024 };
const gb = { '': 1, gb: 1, gib: 1.073741824, tb: 1000, tib: 1099.511627776 };
const gbit = { '': 1, gbit: 1, 'gbit/s': 1, g: 1, mbit: 0.001 };
const disksOf = (media: string) => (h: Host) => h.facts?.disks.filter((d) => d.media === media).length;
const largest = (list: number[] | undefined) => (list?.length ? Math.max(...list) : undefined);

/** Every fact that can be asked. A new one is a line here, and completion knows it. */
export const hostFacts: Record<string, Fact<Host>> = {
  name: { about: 'its name', text: (h) => h.name },
  site: { about: 'site', text: (h) => h.site },
  zone: { about: 'failure domain', text: (h) => h.zone },
  rack: { about: 'rack', text: (h) => h.rack },
  unit: { about: 'lowest unit', number: (h) => h.unit },
  state: { about: 'state', text: (h) => h.state },
  cluster: { about: 'charter it is held for', text: (h) => h.held?.charter },
  role: { about: 'role it is held for', text: (h) => h.held?.role },
  fit: { about: 'role it fits' },
  cores: { about: 'processor cores', number: (h) => h.facts?.cores },
  memory: { about: 'memory, GiB', units: bytes, number: (h) => h.facts?.memoryGiB },
  disks: { about: 'number of drives', number: (h) => h.facts?.disks.length },
  disk: { about: 'largest drive, GB', units: gb, number: (h) => largest(h.facts?.disks.map((d) => d.sizeGB)) },
  'disk.nvme': { about: 'number of NVMe drives', number: disksOf('nvme') },
  'disk.ssd': { about: 'number of SSDs', number: disksOf('ssd') },
  'disk.hdd': { about: 'number of hard disks', number: disksOf('hdd') },
  'disk.life': {
    about: 'least endurance left, %',
    number: (h) => {
      const l = h.facts?.disks.flatMap((d) => d.lifeLeft ?? []);
      return l?.length ? Math.min(...l) : undefined;
    },
  },
  link: {
    about: 'fastest link, Gbit/s',
    units: gbit,
    number: (h) => largest(h.facts?.nics.filter((n) => n.link).map((n) => n.speedGbit)),
  },
  links: { about: 'adapters with a link', number: (h) => h.facts?.nics.filter((n) => n.link).length },
  arch: { about: 'architecture', text: (h) => h.facts?.arch },
  boot: { about: 'boot mode', text: (h) => h.facts?.bootMode },
  power: { about: 'on or off', text: (h) => h.facts?.power },
  health: { about: 'health', text: (h) => h.facts?.health },
  maker: { about: 'maker', text: (h) => h.facts?.maker },
  model: { about: 'model', text: (h) => h.facts?.model },
  serial: { about: 'serial', text: (h) => h.facts?.serial },
  mac: { about: 'a MAC', text: (h) => h.facts?.nics.map((n) => n.mac) },
  bmc: { about: 'address of its controller', text: (h) => h.bmc?.address },
  firmware: { about: 'system firmware', text: (h) => h.facts?.firmware.system },
  hypervisor: { about: 'hypervisor a guest is on', text: (h) => h.guest?.hypervisor },
  mould: { about: 'mould a guest is cast from', text: (h) => h.guest?.mould },
  is: {
    about: 'guest, metal, drained or measured',
    text: (h) => [h.guest ? 'guest' : 'metal', ...(h.drained ? ['drained'] : []), ...(h.facts ? ['measured'] : [])],
  },
};

/** Reads a filter of hosts; a plain word is looked for in name, serial, addresses and MACs. */
export const hostFilter = (text: string, judge: (host: Host) => Fitness[]): HostFilter =>
  factFilter(
    text,
    {
      ...hostFacts,
      fit: {
        about: 'role it fits',
        text: (h) =>
          judge(h)
            .filter((f) => f.fits)
            .map((f) => f.role),
      },
    },
    haystack,
  );
const haystack = (h: Host) =>
  `${h.name} ${h.facts?.serial ?? ''} ${h.bmc?.address ?? ''} ${h.facts?.nics.map((n) => n.mac).join(' ') ?? ''}`.toLowerCase();

/** What could stand at the cursor. At most twelve. */
export const complete = (text: string, cursor: number, hosts: readonly Host[], roles: readonly string[]): Completion[] =>
  completeFacts(text, cursor, hosts, { ...hostFacts, fit: { about: 'role it fits', values: roles } }, 'host');
