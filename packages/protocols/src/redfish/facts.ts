import { z } from 'zod';
import { Facts, words } from '@praesidor/core/model';
import { ProtocolError } from '../dial/index.ts';
import { type Bmc, firstSystem, get, Link, members } from './bmc.ts';

const Status = z.object({ Health: z.string().nullish(), HealthRollup: z.string().nullish() }).nullish();
const System = z.object({
  Manufacturer: z.string().nullish(),
  Model: z.string().nullish(),
  SerialNumber: z.string().nullish(),
  HostName: z.string().nullish(),
  PowerState: z.string().nullish(),
  BiosVersion: z.string().nullish(),
  Status,
  Boot: z.object({ BootSourceOverrideMode: z.string().nullish(), BootOptions: Link.nullish() }).nullish(),
  Processors: Link.nullish(),
  Storage: Link.nullish(),
  EthernetInterfaces: Link.nullish(),
  MemorySummary: z.object({ TotalSystemMemoryGiB: z.number().nullish() }).nullish(),
});
const Processor = z.object({
  Model: z.string().nullish(),
  ProcessorArchitecture: z.string().nullish(),
  InstructionSet: z.string().nullish(),
  TotalCores: z.number().nullish(),
  TotalThreads: z.number().nullish(),
});
const Drive = z.object({
  Name: z.string().nullish(),
  Model: z.string().nullish(),
  SerialNumber: z.string().nullish(),
  CapacityBytes: z.number().nullish(),
  MediaType: z.string().nullish(),
  Protocol: z.string().nullish(),
  PredictedMediaLifeLeftPercent: z.number().nullish(),
  /** DurableNameFormat NAA and EUI are what a machine sees as the WWN (Resource.Identifier of DSP2046). */
  Identifiers: z.array(z.object({ DurableName: z.string().nullish(), DurableNameFormat: z.string().nullish() })).nullish(),
  Status,
  PhysicalLocation: z.object({ PartLocation: z.object({ ServiceLabel: z.string().nullish() }).nullish() }).nullish(),
});
const Ethernet = z.object({
  Id: z.string().nullish(),
  MACAddress: z.string().nullish(),
  SpeedMbps: z.number().nullish(),
  LinkStatus: z.string().nullish(),
  VLAN: z.object({ VLANEnable: z.boolean().nullish(), VLANId: z.number().int().nullish() }).nullish(),
});
const Chassis = z.object({
  Location: z
    .object({ Placement: z.object({ Rack: z.string().nullish(), RackOffset: z.number().nullish() }).nullish() })
    .nullish(),
  AssetTag: z.string().nullish(),
  EnvironmentMetrics: Link.nullish(),
  PowerSubsystem: Link.nullish(),
  NetworkAdapters: Link.nullish(),
});
const Port = z.object({
  Ethernet: z
    .object({
      AssociatedMACAddresses: z.array(z.string()).nullish(),
      LLDPReceive: z
        .object({
          ChassisId: z.string().nullish(),
          SystemName: z.string().nullish(),
          PortId: z.string().nullish(),
        })
        .nullish(),
    })
    .nullish(),
});
const Software = z.object({ Id: z.string().nullish(), Name: z.string().nullish(), Version: z.string().nullish() });

const told = words.told;
type Health = NonNullable<Facts['health']>;
const healthOf = (s: z.infer<typeof Status>): { health?: Health } => {
  const h = s?.HealthRollup ?? s?.Health;
  return h === 'OK' || h === 'Warning' || h === 'Critical' ? { health: h } : {};
};
const text = (key: string, value: string | null | undefined) => (told(value, 80) ? { [key]: told(value, 80) } : {});

const wwnOf = (ids: z.infer<typeof Drive>['Identifiers']): { wwn?: string } => {
  const name = ids?.find((i) => ['NAA', 'EUI'].includes(i.DurableNameFormat ?? ''))?.DurableName;
  return told(name, 40) ? { wwn: told(name, 40) } : {};
};

export interface Read {
  facts: Facts;
  place: { name?: string; rack?: string; unit?: number };
}

/**
 * All facts the job needs, and where the chassis says it stands. `at` is the time written into them. What a controller
 * has nothing about is left out; a part that it breaks off at is named in `unreadParts`, and the rest is kept.
 *
 * @throws ProtocolError when the system itself cannot be read, or the credentials are refused
 */
export async function readFacts(b: Bmc, at: string): Promise<Read> {
  const unreadParts: string[] = [];
  const part = async <T>(what: string, otherwise: T, read: () => Promise<T>): Promise<T> => {
    try {
      return await read();
    } catch (e) {
      // A part it does not have is no fault of the whole; silence, a changed certificate or refused credentials are.
      if (!(e instanceof ProtocolError) || ['silent', 'refused', 'cut', 'pin', 'credentials', 'cancelled'].includes(e.fault))
        throw e;
      unreadParts.push(told(`${what}: ${e.detail}`, 200));
      return otherwise;
    }
  };
  const s = await get(b, await firstSystem(b), System);
  const processors = await part('processors', [], () => members(b, s.Processors, Processor));
  const nics = await part('adapters', [], () => members(b, s.EthernetInterfaces, Ethernet));
  const drives = await part('drives', [], () => readDrives(b, s.Storage));
  const chassis = await part(
    'chassis',
    undefined,
    async () => (await members(b, { '@odata.id': '/redfish/v1/Chassis' }, Chassis))[0],
  );
  const ports = await part('cabling', new Map<string, PortFacts>(), () => readPorts(b, chassis?.NetworkAdapters));
  const power = await part('power draw', {}, () => readPower(b, chassis));
  const bmc = await part('its own firmware', '', async () => {
    const [m] = await members(b, { '@odata.id': '/redfish/v1/Managers' }, z.object({ FirmwareVersion: z.string().nullish() }));
    return m?.FirmwareVersion ?? '';
  });
  const inventory = await part('firmware inventory', [], () => readInventory(b));
  const options = await part('boot options', [], () =>
    members(b, s.Boot?.BootOptions, z.object({ DisplayName: z.string().nullish() })),
  );
  const place = chassis?.Location?.Placement;
  const facts = Facts.safeParse({
    at,
    source: 'bmc',
    maker: told(s.Manufacturer, 80),
    model: told(s.Model, 80),
    serial: told(s.SerialNumber, 80),
    arch: processors.some((p) => p.InstructionSet === 'ARM-A64' || p.ProcessorArchitecture === 'ARM') ? 'arm64' : 'x86-64',
    cores: processors.reduce((n, p) => n + (p.TotalCores ?? 0), 0),
    ...(processors.some((p) => p.Model)
      ? {
          processors: processors.map((p) => ({
            model: told(p.Model, 120),
            cores: p.TotalCores ?? 0,
            ...(p.TotalThreads ? { threads: p.TotalThreads } : {}),
          })),
        }
      : {}),
    memoryGiB: s.MemorySummary?.TotalSystemMemoryGiB ?? 0,
    disks: drives.map((d, i) => ({
      bay: told(d.PhysicalLocation?.PartLocation?.ServiceLabel ?? d.Name, 40) || `drive ${i + 1}`,
      sizeGB: Math.round((d.CapacityBytes ?? 0) / 1e9),
      media: d.Protocol === 'NVMe' ? 'nvme' : d.MediaType === 'HDD' ? 'hdd' : 'ssd',
      ...text('model', d.Model),
      ...text('serial', d.SerialNumber),
      ...wwnOf(d.Identifiers),
      ...(d.PredictedMediaLifeLeftPercent === null || d.PredictedMediaLifeLeftPercent === undefined
        ? {}
        : { lifeLeft: Math.min(100, Math.max(0, d.PredictedMediaLifeLeftPercent)) }),
      ...healthOf(d.Status),
    })),
    nics: nics
      .filter((n) => /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/i.test(n.MACAddress ?? ''))
      .map((n, i) => ({
        name: told(n.Id, 60) || `nic${i}`,
        mac: (n.MACAddress as string).toLowerCase(),
        speedGbit: (n.SpeedMbps ?? 0) / 1000,
        link: n.LinkStatus === 'LinkUp',
        ...(n.VLAN?.VLANEnable && n.VLAN.VLANId ? { vlans: [n.VLAN.VLANId] } : {}),
        ...ports.get((n.MACAddress as string).toLowerCase()),
      })),
    firmware: { bmc: told(bmc, 60), system: told(s.BiosVersion, 60), ...(inventory.length ? { parts: inventory } : {}) },
    bootMode: s.Boot?.BootSourceOverrideMode === 'Legacy' ? 'BIOS' : 'UEFI',
    ...(options.length ? { bootOptions: options.flatMap((o) => told(o.DisplayName, 120) || []) } : {}),
    power: s.PowerState === 'On' ? 'On' : 'Off',
    ...healthOf(s.Status),
    ...power,
    ...(unreadParts.length ? { unreadParts } : {}),
  });
  if (!facts.success) {
    const [wrong] = facts.error.issues;
    throw new ProtocolError(
      'answer',
      b.address,
      `what it tells of itself does not fit: ${wrong?.path.join('.')}: ${wrong?.message}`,
    );
  }
  return {
    facts: facts.data,
    place: {
      ...(s.HostName ? { name: told(s.HostName, 63) } : chassis?.AssetTag ? { name: told(chassis.AssetTag, 63) } : {}),
      ...(place?.Rack ? { rack: told(place.Rack, 20) } : {}),
      ...(place?.RackOffset ? { unit: place.RackOffset } : {}),
    },
  };
}

async function readDrives(b: Bmc, storage: Link | null | undefined): Promise<z.infer<typeof Drive>[]> {
  const out: z.infer<typeof Drive>[] = [];
  for (const s of await members(b, storage, z.object({ Drives: z.array(Link).max(256).nullish() })))
    for (const d of s.Drives ?? []) out.push(await get(b, d['@odata.id'], Drive));
  return out;
}

type PortFacts = Pick<Facts['nics'][number], 'adapter' | 'neighbour'>;
async function readPorts(b: Bmc, adapters: Link | null | undefined): Promise<Map<string, PortFacts>> {
  const out = new Map<string, PortFacts>();
  for (const a of await members(b, adapters, z.object({ Model: z.string().nullish(), Ports: Link.nullish() })))
    for (const p of await members(b, a.Ports, Port)) {
      const l = p.Ethernet?.LLDPReceive;
      const name = l?.SystemName ?? l?.ChassisId;
      for (const mac of p.Ethernet?.AssociatedMACAddresses ?? [])
        out.set(mac.toLowerCase(), {
          ...text('adapter', a.Model),
          ...(name && l?.PortId ? { neighbour: { name: told(name, 120), port: told(l.PortId, 120) } } : {}),
        });
    }
  return out;
}

async function readPower(b: Bmc, chassis: z.infer<typeof Chassis> | undefined): Promise<Pick<Facts, 'drawsW' | 'suppliesW'>> {
  const watts = z.object({ PowerWatts: z.object({ Reading: z.number().nullish() }).nullish() });
  const drawn = chassis?.EnvironmentMetrics && (await get(b, chassis.EnvironmentMetrics['@odata.id'], watts)).PowerWatts?.Reading;
  const capacity =
    chassis?.PowerSubsystem &&
    (await get(b, chassis.PowerSubsystem['@odata.id'], z.object({ CapacityWatts: z.number().nullish() }))).CapacityWatts;
  return {
    ...(typeof drawn === 'number' ? { drawsW: drawn } : {}),
    ...(typeof capacity === 'number' ? { suppliesW: capacity } : {}),
  };
}

async function readInventory(b: Bmc): Promise<NonNullable<Facts['firmware']['parts']>> {
  const service = await get(b, '/redfish/v1/UpdateService', z.object({ FirmwareInventory: Link.nullish() })).catch(
    (e: unknown) => {
      if (e instanceof ProtocolError && e.fault === 'missing') return { FirmwareInventory: undefined };
      throw e;
    },
  );
  return (await members(b, service.FirmwareInventory, Software))
    .filter((x) => x.Id && x.Version)
    .map((x) => ({
      id: told(x.Id, 60),
      name: told(x.Name ?? x.Id, 120),
      version: told(x.Version, 60),
    }));
}
