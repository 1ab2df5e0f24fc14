import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Pair } from './certificates.ts';
import type { Faults } from './faults.ts';
import type { Machine } from './machine.ts';

/** The management controller of one machine: Redfish over HTTPS with a certificate of its own. */
export function bmcServer(machine: Machine, pair: Pair, other: Pair, faults: Faults): Server {
  const { name } = machine.hardware;
  const server = createServer({ key: pair.key, cert: pair.cert }, (req, res) => {
    if (faults.has('bmc-silent', name)) return;
    void answer(machine, faults, req, res).catch(() => res.writeHead(500).end());
  });
  const shown = () => {
    const p = faults.has('bmc-certificate', name) ? other : pair;
    server.setSecureContext({ key: p.key, cert: p.cert });
  };
  faults.onChange(shown);
  shown();
  return server;
}

async function answer(m: Machine, faults: Faults, req: IncomingMessage, res: ServerResponse): Promise<void> {
  const send = (status: number, body?: unknown) =>
    void res
      .writeHead(status, { 'content-type': 'application/json', 'odata-version': '4.0' })
      .end(body === undefined ? undefined : JSON.stringify(body));
  const path = (req.url ?? '').replace(/\/$/, '');
  if (path === '/redfish/v1')
    return send(200, {
      '@odata.id': '/redfish/v1',
      RedfishVersion: '1.15.0',
      Systems: { '@odata.id': '/redfish/v1/Systems' },
      Chassis: { '@odata.id': '/redfish/v1/Chassis' },
      Managers: { '@odata.id': '/redfish/v1/Managers' },
    });
  const want = `Basic ${Buffer.from(`${m.hardware.bmc.user}:${m.hardware.bmc.password}`).toString('base64')}`;
  if (req.headers.authorization !== want || faults.has('bmc-password', m.hardware.name))
    return send(401, { error: { code: 'Base.1.8.InsufficientPrivilege', message: 'not authorised' } });
  if (req.method === 'GET') {
    const doc = documents(m)[path];
    return doc ? send(200, { '@odata.id': path, ...doc }) : send(404, { error: { message: 'no such resource' } });
  }
  let text = '';
  for await (const chunk of req) {
    text += String(chunk);
    if (text.length > 65536) return send(413);
  }
  const body = JSON.parse(text || '{}') as {
    Boot?: { HttpBootUri?: string; BootSourceOverrideTarget?: string };
    ResetType?: string;
  };
  if (req.method === 'PATCH' && path === '/redfish/v1/Systems/1' && body.Boot) {
    if (body.Boot.BootSourceOverrideTarget === 'UefiHttp' && body.Boot.HttpBootUri) m.setBoot(body.Boot.HttpBootUri);
    return send(200, {});
  }
  if (req.method === 'POST' && path === '/redfish/v1/Systems/1/Actions/ComputerSystem.Reset') {
    if (body.ResetType === 'ForceOff') m.powerOff();
    else if (body.ResetType === 'On') m.powerOn();
    else if (body.ResetType === 'ForceRestart') {
      m.powerOff();
      m.powerOn();
    } else return send(400, { error: { message: `no reset ${body.ResetType}` } });
    return send(204);
  }
  return send(405, { error: { message: 'not done here' } });
}

function documents(m: Machine): Record<string, object> {
  const h = m.hardware;
  const root = '/redfish/v1';
  const sys = `${root}/Systems/1`;
  const list = (...ids: string[]) => ({ 'Members@odata.count': ids.length, Members: ids.map((id) => ({ '@odata.id': id })) });
  const half = Math.ceil(h.cores / 2);
  return {
    [`${root}/Systems`]: list(sys),
    [`${root}/Chassis`]: list(`${root}/Chassis/1`),
    [`${root}/Managers`]: list(`${root}/Managers/1`),
    [sys]: {
      Id: '1',
      Manufacturer: h.maker,
      Model: h.model,
      SerialNumber: h.serial,
      HostName: h.hostName ?? '',
      PowerState: m.power,
      BiosVersion: h.firmware,
      Boot: {
        BootSourceOverrideMode: 'UEFI',
        BootSourceOverrideTarget: m.bootUri ? 'UefiHttp' : 'None',
        HttpBootUri: m.bootUri ?? null,
      },
      MemorySummary: { TotalSystemMemoryGiB: h.memoryGiB },
      Processors: { '@odata.id': `${sys}/Processors` },
      Storage: { '@odata.id': `${sys}/Storage` },
      EthernetInterfaces: { '@odata.id': `${sys}/EthernetInterfaces` },
      Status: { State: 'Enabled', Health: 'OK' },
    },
    [`${sys}/Processors`]: list(`${sys}/Processors/1`, `${sys}/Processors/2`),
    [`${sys}/Processors/1`]: { ProcessorArchitecture: 'x86', InstructionSet: 'x86-64', TotalCores: half },
    [`${sys}/Processors/2`]: { ProcessorArchitecture: 'x86', InstructionSet: 'x86-64', TotalCores: h.cores - half },
    [`${sys}/Storage`]: list(`${sys}/Storage/1`),
    [`${sys}/Storage/1`]: { Drives: h.disksGB.map((_, i) => ({ '@odata.id': `${sys}/Storage/1/Drives/${i + 1}` })) },
    ...Object.fromEntries(
      h.disksGB.map((gb, i) => [
        `${sys}/Storage/1/Drives/${i + 1}`,
        {
          Name: `drive ${i + 1}`,
          CapacityBytes: gb * 1e9,
          MediaType: 'SSD',
          Protocol: 'NVMe',
          PhysicalLocation: { PartLocation: { ServiceLabel: `bay ${i + 1}` } },
        },
      ]),
    ),
    [`${sys}/EthernetInterfaces`]: list(...h.macs.map((_, i) => `${sys}/EthernetInterfaces/${i + 1}`)),
    ...Object.fromEntries(
      h.macs.map((mac, i) => [
        `${sys}/EthernetInterfaces/${i + 1}`,
        { Id: `eno${i + 1}`, MACAddress: mac, SpeedMbps: h.linkGbit * 1000, LinkStatus: 'LinkUp' },
      ]),
    ),
    [`${root}/Chassis/1`]: {
      AssetTag: h.hostName ?? '',
      Location: h.rack ? { Placement: { Rack: h.rack, RackOffset: h.unit } } : undefined,
    },
    [`${root}/Managers/1`]: { FirmwareVersion: h.bmc.firmware },
  };
}
