import { z } from 'zod';
import type { Facts } from '@praesidor/core/model';
import { askJson, type Dialer, ProtocolError, type Target } from '../dial/index.ts';

/** Redfish (DMTF DSP0266) over HTTPS, as far as inventory, power and boot source need it. */
export interface Bmc {
  dialer: Dialer;
  address: string;
  fingerprint: string;
  user: string;
  password: string;
  signal?: AbortSignal;
}

const Link = z.object({ '@odata.id': z.string() });
const Collection = z.object({ Members: z.array(Link).max(256) });
const System = z.object({
  Manufacturer: z.string().nullish(),
  Model: z.string().nullish(),
  SerialNumber: z.string().nullish(),
  HostName: z.string().nullish(),
  PowerState: z.string().nullish(),
  BiosVersion: z.string().nullish(),
  Boot: z
    .object({
      BootSourceOverrideMode: z.string().nullish(),
      BootSourceOverrideTarget: z.string().nullish(),
      HttpBootUri: z.string().nullish(),
    })
    .nullish(),
  Processors: Link.nullish(),
  Storage: Link.nullish(),
  EthernetInterfaces: Link.nullish(),
  MemorySummary: z.object({ TotalSystemMemoryGiB: z.number().nullish() }).nullish(),
});
const Processor = z.object({
  ProcessorArchitecture: z.string().nullish(),
  InstructionSet: z.string().nullish(),
  TotalCores: z.number().nullish(),
});
const Drive = z.object({
  Name: z.string().nullish(),
  CapacityBytes: z.number().nullish(),
  MediaType: z.string().nullish(),
  Protocol: z.string().nullish(),
  PhysicalLocation: z.object({ PartLocation: z.object({ ServiceLabel: z.string().nullish() }).nullish() }).nullish(),
});
const Ethernet = z.object({
  Id: z.string().nullish(),
  MACAddress: z.string().nullish(),
  SpeedMbps: z.number().nullish(),
  LinkStatus: z.string().nullish(),
});
const Chassis = z.object({
  Location: z
    .object({ Placement: z.object({ Rack: z.string().nullish(), RackOffset: z.number().nullish() }).nullish() })
    .nullish(),
  AssetTag: z.string().nullish(),
});
const Manager = z.object({ FirmwareVersion: z.string().nullish() });

/** Controllers answer within a second or two, or not at all. */
const patience = 5000;

const target = (b: Bmc): Target => ({ host: b.address, port: 443, tls: true, trust: { fingerprint: b.fingerprint } });

async function get<T>(b: Bmc, path: string, schema: z.ZodType<T>): Promise<T> {
  if (!/^\/redfish\/v1[\w/.:-]*$/.test(path))
    throw new ProtocolError('answer', b.address, `it points outside its own tree: ${JSON.stringify(path.slice(0, 80))}`);
  const { json } = await askJson<unknown>(
    b.dialer,
    target(b),
    { path, headers: authorization(b), timeoutMs: patience, ...(b.signal ? { signal: b.signal } : {}) },
    1_000_000,
  );
  const parsed = schema.safeParse(json);
  if (!parsed.success)
    throw new ProtocolError(
      'answer',
      b.address,
      `its answer to ${path} does not fit Redfish: ${parsed.error.issues[0]?.path.join('.')} ${parsed.error.issues[0]?.message}`,
    );
  return parsed.data;
}

const authorization = (b: Bmc) => ({ authorization: `Basic ${Buffer.from(`${b.user}:${b.password}`).toString('base64')}` });

async function members<T>(b: Bmc, link: { '@odata.id': string } | null | undefined, schema: z.ZodType<T>): Promise<T[]> {
  if (!link) return [];
  const { Members } = await get(b, link['@odata.id'], Collection);
  const out: T[] = [];
  for (const m of Members) out.push(await get(b, m['@odata.id'], schema));
  return out;
}

const firstSystem = async (b: Bmc) => {
  const { Members } = await get(b, '/redfish/v1/Systems', Collection);
  const path = Members[0]?.['@odata.id'];
  if (!path) throw new ProtocolError('answer', b.address, 'it manages no system');
  return path;
};

/** All facts the job needs, and where the chassis says it stands. `at` is the time written into them. */
export async function readFacts(
  b: Bmc,
  at: string,
): Promise<{ facts: Facts; place: { name?: string; rack?: string; unit?: number } }> {
  const path = await firstSystem(b);
  const s = await get(b, path, System);
  const processors = await members(b, s.Processors, Processor);
  const nics = await members(b, s.EthernetInterfaces, Ethernet);
  const drives: z.infer<typeof Drive>[] = [];
  for (const storage of await members(b, s.Storage, z.object({ Drives: z.array(Link).max(256).nullish() })))
    for (const d of storage.Drives ?? []) drives.push(await get(b, d['@odata.id'], Drive));
  const chassis = (await members(b, { '@odata.id': '/redfish/v1/Chassis' }, Chassis))[0];
  const manager = (await members(b, { '@odata.id': '/redfish/v1/Managers' }, Manager))[0];
  const arm = processors.some((p) => p.InstructionSet === 'ARM-A64' || p.ProcessorArchitecture === 'ARM');
  const place = chassis?.Location?.Placement;
  return {
    facts: {
      at,
      source: 'bmc',
      maker: s.Manufacturer ?? '',
      model: s.Model ?? '',
      serial: s.SerialNumber ?? '',
      arch: arm ? 'arm64' : 'x86-64',
      cores: processors.reduce((n, p) => n + (p.TotalCores ?? 0), 0),
      memoryGiB: s.MemorySummary?.TotalSystemMemoryGiB ?? 0,
      disks: drives.map((d, i) => ({
        bay: d.PhysicalLocation?.PartLocation?.ServiceLabel ?? d.Name ?? `drive ${i + 1}`,
        sizeGB: Math.round((d.CapacityBytes ?? 0) / 1e9),
        media: d.Protocol === 'NVMe' ? 'nvme' : d.MediaType === 'HDD' ? 'hdd' : 'ssd',
      })),
      nics: nics
        .filter((n) => /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/i.test(n.MACAddress ?? ''))
        .map((n, i) => ({
          name: n.Id ?? `nic${i}`,
          mac: (n.MACAddress as string).toLowerCase(),
          speedGbit: (n.SpeedMbps ?? 0) / 1000,
          link: n.LinkStatus === 'LinkUp',
        })),
      firmware: { bmc: manager?.FirmwareVersion ?? '', system: s.BiosVersion ?? '' },
      bootMode: s.Boot?.BootSourceOverrideMode === 'Legacy' ? 'BIOS' : 'UEFI',
      power: s.PowerState === 'On' ? 'On' : 'Off',
    },
    place: {
      ...(s.HostName ? { name: s.HostName } : chassis?.AssetTag ? { name: chassis.AssetTag } : {}),
      ...(place?.Rack ? { rack: place.Rack } : {}),
      ...(place?.RackOffset ? { unit: place.RackOffset } : {}),
    },
  };
}

export async function powerState(b: Bmc): Promise<'On' | 'Off'> {
  return (await get(b, await firstSystem(b), System)).PowerState === 'On' ? 'On' : 'Off';
}

/** Boots once over HTTP from `uri` at the next start (Boot.HttpBootUri of DSP0268). */
export async function setHttpBoot(b: Bmc, uri: string): Promise<void> {
  await askJson(b.dialer, target(b), {
    method: 'PATCH',
    path: await firstSystem(b),
    headers: authorization(b),
    timeoutMs: patience,
    body: {
      Boot: {
        BootSourceOverrideEnabled: 'Once',
        BootSourceOverrideMode: 'UEFI',
        BootSourceOverrideTarget: 'UefiHttp',
        HttpBootUri: uri,
      },
    },
  });
}

export async function reset(b: Bmc, type: 'On' | 'ForceOff' | 'ForceRestart'): Promise<void> {
  await askJson(b.dialer, target(b), {
    method: 'POST',
    path: `${await firstSystem(b)}/Actions/ComputerSystem.Reset`,
    headers: authorization(b),
    timeoutMs: patience,
    body: { ResetType: type },
  });
}
