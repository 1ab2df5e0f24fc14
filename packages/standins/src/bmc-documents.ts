import type { Machine } from './machine.ts';

const root = '/redfish/v1';
const sys = `${root}/Systems/1`;
const chassis = `${root}/Chassis/1`;
const link = (id: string) => ({ '@odata.id': id });
const list = (...ids: string[]) => ({ 'Members@odata.count': ids.length, Members: ids.map(link) });
/** Numbered documents under a path, with their collection. */
const under = (path: string, docs: readonly object[], ids = docs.map((_, i) => String(i + 1))) => ({
  [path]: list(...ids.map((id) => `${path}/${id}`)),
  ...Object.fromEntries(docs.map((d, i) => [`${path}/${ids[i]}`, d])),
});

const certificates = (pems: readonly string[]) =>
  pems.map((CertificateString) => ({ CertificateType: 'PEM', CertificateString }));

/** A value that wanders a little with the time, the same for everybody who asks at once. */
const wander = (base: number, by: number, phase: number) =>
  Math.round((base + by * Math.sin(Date.now() / 20_000 + phase) + (by / 3) * Math.sin(Date.now() / 3_700 + 2 * phase)) * 10) / 10;

/** Every document of a controller, by its path (DMTF DSP0268). */
export function documents(m: Machine): Record<string, object> {
  const h = m.hardware;
  const on = m.power === 'On';
  const watts = on ? (h.watts ?? 180 + h.cores * 5) : 14;
  const half = Math.ceil(h.cores / 2);
  const phase = h.serial.length + h.cores;
  // Controllers before version 3 of their firmware know nothing of authorities.
  const old = Number.parseInt(m.firmware.bmc ?? '', 10) < 3;
  const sick = h.lifeLeft !== undefined && h.lifeLeft < 10;
  return {
    [`${root}/Systems`]: list(sys),
    [`${root}/Chassis`]: list(chassis),
    [`${root}/Managers`]: list(`${root}/Managers/1`),
    [sys]: {
      Id: '1',
      Manufacturer: h.maker,
      Model: h.model,
      SerialNumber: h.serial,
      HostName: h.hostName ?? '',
      PowerState: m.power,
      BiosVersion: m.firmware.system,
      LocationIndicatorActive: m.light,
      Boot: {
        BootSourceOverrideMode: 'UEFI',
        BootSourceOverrideEnabled: m.bootTarget === 'None' ? 'Disabled' : m.bootAlways ? 'Continuous' : 'Once',
        BootSourceOverrideTarget: m.bootTarget,
        HttpBootUri: m.bootUri ?? null,
        BootOptions: link(`${sys}/BootOptions`),
        ...(old ? {} : { Certificates: link(`${sys}/Boot/Certificates`) }),
      },
      MemorySummary: { TotalSystemMemoryGiB: h.memoryGiB },
      Processors: link(`${sys}/Processors`),
      Storage: link(`${sys}/Storage`),
      EthernetInterfaces: link(`${sys}/EthernetInterfaces`),
      LogServices: link(`${sys}/LogServices`),
      Status: { State: 'Enabled', Health: sick ? 'Warning' : 'OK', HealthRollup: sick ? 'Warning' : 'OK' },
    },
    ...under(
      `${sys}/Processors`,
      [half, h.cores - half].map((TotalCores) => ({
        Model: 'Harrow H7',
        ProcessorArchitecture: 'x86',
        InstructionSet: 'x86-64',
        TotalCores,
        TotalThreads: 2 * TotalCores,
      })),
    ),
    ...under(`${sys}/BootOptions`, [{ DisplayName: 'UEFI HTTP: eno1' }, { DisplayName: 'Disk: bay 1' }]),
    ...(old ? {} : under(`${sys}/Boot/Certificates`, certificates(m.trusted.boot))),
    [`${sys}/Storage`]: list(`${sys}/Storage/1`),
    [`${sys}/Storage/1`]: { Drives: h.disksGB.map((_, i) => link(`${sys}/Storage/1/Drives/${i + 1}`)) },
    ...under(
      `${sys}/Storage/1/Drives`,
      h.disksGB.map((gb, i) => ({
        Name: `drive ${i + 1}`,
        Model: `Harrow N${gb}`,
        SerialNumber: m.serials[i],
        CapacityBytes: gb * 1e9,
        MediaType: 'SSD',
        Protocol: 'NVMe',
        PredictedMediaLifeLeftPercent: i === h.disksGB.length - 1 ? (h.lifeLeft ?? 94) : 97,
        Status: { Health: i === h.disksGB.length - 1 && sick ? 'Warning' : 'OK' },
        PhysicalLocation: { PartLocation: { ServiceLabel: `bay ${i + 1}` } },
      })),
    ),
    ...under(
      `${sys}/EthernetInterfaces`,
      h.macs.map((mac, i) => ({
        Id: `eno${i + 1}`,
        MACAddress: mac,
        SpeedMbps: h.linkGbit * 1000,
        LinkStatus: 'LinkUp',
        ...(h.vlan ? { VLAN: { VLANEnable: true, VLANId: h.vlan } } : {}),
      })),
    ),
    ...under(`${sys}/LogServices`, [{ Name: 'events', Entries: link(`${sys}/LogServices/1/Entries`) }]),
    [`${sys}/LogServices/1/Entries`]: {
      Members: m.log.map((l, i) => ({ Id: String(i + 1), Created: l.at, Severity: l.severity, Message: l.text })),
    },
    [chassis]: {
      AssetTag: h.hostName ?? '',
      Location: h.rack ? { Placement: { Rack: h.rack, RackOffset: h.unit } } : undefined,
      EnvironmentMetrics: link(`${chassis}/EnvironmentMetrics`),
      PowerSubsystem: link(`${chassis}/PowerSubsystem`),
      NetworkAdapters: link(`${chassis}/NetworkAdapters`),
      Sensors: link(`${chassis}/Sensors`),
    },
    [`${chassis}/EnvironmentMetrics`]: { PowerWatts: { Reading: Math.round(watts) } },
    [`${chassis}/PowerSubsystem`]: { CapacityWatts: 800 },
    ...under(`${chassis}/NetworkAdapters`, [
      { Model: `Harrow ${h.linkGbit}G twin`, Ports: link(`${chassis}/NetworkAdapters/1/Ports`) },
    ]),
    ...under(
      `${chassis}/NetworkAdapters/1/Ports`,
      h.macs.map((mac, i) => ({
        Ethernet: {
          AssociatedMACAddresses: [mac],
          ...(h.switch ? { LLDPReceive: { SystemName: `${h.switch}${i ? 'b' : 'a'}`, PortId: `Eth${h.unit ?? 1}` } } : {}),
        },
      })),
    ),
    ...under(`${chassis}/Sensors`, [
      { Name: 'inlet', ReadingType: 'Temperature', Reading: wander(23, 1.5, phase), ReadingUnits: 'Cel' },
      { Name: 'processors', ReadingType: 'Temperature', Reading: wander(on ? 54 : 26, on ? 6 : 0.5, phase), ReadingUnits: 'Cel' },
      { Name: 'power', ReadingType: 'Power', Reading: wander(watts, watts / 12, phase), ReadingUnits: 'W' },
      { Name: 'fans', ReadingType: 'Rotational', Reading: wander(on ? 6200 : 0, on ? 500 : 0, phase), ReadingUnits: '{rev}/min' },
    ]),
    [`${root}/Managers/1`]: { FirmwareVersion: m.firmware.bmc, VirtualMedia: link(`${root}/Managers/1/VirtualMedia`) },
    ...under(`${root}/Managers/1/VirtualMedia`, [
      {
        Name: 'virtual drive',
        MediaTypes: ['CD', 'DVD'],
        Image: m.media ?? null,
        Inserted: m.media !== undefined,
        WriteProtected: true,
        ...(old
          ? {}
          : {
              VerifyCertificate: m.trusted.verify,
              Certificates: link(`${root}/Managers/1/VirtualMedia/1/Certificates`),
            }),
      },
    ]),
    ...(old ? {} : under(`${root}/Managers/1/VirtualMedia/1/Certificates`, certificates(m.trusted.media))),
    [`${root}/UpdateService`]: { ServiceEnabled: true, FirmwareInventory: link(`${root}/UpdateService/FirmwareInventory`) },
    ...under(
      `${root}/UpdateService/FirmwareInventory`,
      Object.entries(m.firmware).map(([Id, Version]) => ({ Id, Name: `${Id} firmware`, Version, Updateable: true })),
      Object.keys(m.firmware),
    ),
    ...under(
      `${root}/TaskService/Tasks`,
      [...m.tasks.values()].map((t) => ({
        TaskState: t.state,
        TaskStatus: t.state === 'Exception' ? 'Critical' : 'OK',
        PercentComplete: t.percent,
        Messages: [{ Message: t.text }],
      })),
      [...m.tasks.keys()].map(String),
    ),
  };
}
