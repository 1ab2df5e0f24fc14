import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { X509Certificate } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate } from '@praesidor/standins';
import { anywhere, Dialer, Exits, fingerprintOf, parseAddressMap, type ProtocolError } from '../dial/index.ts';
import { readFacts, reset, setBoot, setHttpBoot, trustForBoot, trustForMedia } from './index.ts';

/** A controller that answers whatever a test wants, behind a pinned certificate. */
let server: Server;
let fingerprint: string;
let answer: (req: IncomingMessage, res: ServerResponse) => void;
let dialer: Dialer;
beforeAll(async () => {
  const pair = await makeCertificate({ commonName: 'bmc' });
  fingerprint = fingerprintOf(new X509Certificate(pair.cert).raw);
  server = createServer({ key: pair.key, cert: pair.cert }, (req, res) => answer(req, res));
  await new Promise<void>((done) => {
    server.listen(0, '127.0.0.1', done);
  });
  dialer = new Dialer(
    new Exits(parseAddressMap(`10.0.0.1/32=127.0.0.1/32+${(server.address() as AddressInfo).port - 443}`), anywhere),
    async () => {
      throw new Error('no names here');
    },
  );
});
afterAll(async () => {
  await dialer.close();
  server.closeAllConnections();
  server.close();
});

const bmc = (print = fingerprint) => ({ dialer, address: '10.0.0.1', fingerprint: print, user: 'operator', password: 'secret' });
const json = (docs: Record<string, unknown>) => (req: IncomingMessage, res: ServerResponse) => {
  const doc = docs[req.url ?? ''];
  res.writeHead(doc ? 200 : 404, { 'content-type': 'application/json' }).end(JSON.stringify(doc ?? {}));
};
const list = (...ids: string[]) => ({ Members: ids.map((id) => ({ '@odata.id': id })) });
const faultOf = async (act: Promise<unknown>) =>
  act.then(
    () => 'taken',
    (e: ProtocolError) => `${e.fault}: ${e.detail}`,
  );

const root = '/redfish/v1';
const good = {
  [`${root}/Systems`]: list(`${root}/Systems/1`),
  [`${root}/Chassis`]: list(`${root}/Chassis/1`),
  [`${root}/Managers`]: list(),
  [`${root}/Systems/1`]: {
    Manufacturer: 'Harrow Works',
    Model: 'HW-220',
    SerialNumber: 'HW1',
    PowerState: 'Off',
    BiosVersion: '2.21',
    MemorySummary: { TotalSystemMemoryGiB: 64 },
    Processors: { '@odata.id': `${root}/P` },
    Storage: { '@odata.id': `${root}/S` },
    EthernetInterfaces: { '@odata.id': `${root}/E` },
  },
  [`${root}/P`]: list(`${root}/P/1`),
  [`${root}/P/1`]: { TotalCores: 16, InstructionSet: 'ARM-A64' },
  [`${root}/S`]: list(`${root}/S/1`),
  [`${root}/S/1`]: { Drives: [{ '@odata.id': `${root}/D/1` }] },
  [`${root}/D/1`]: { CapacityBytes: 480e9, Protocol: 'NVMe' },
  [`${root}/E`]: list(`${root}/E/1`, `${root}/E/2`),
  [`${root}/E/1`]: { Id: 'eno1', MACAddress: '52:8A:1C:40:00:01', SpeedMbps: 25000, LinkStatus: 'LinkUp' },
  [`${root}/E/2`]: { Id: 'usb0', MACAddress: 'none' },
  [`${root}/Chassis/1`]: { Location: { Placement: { Rack: 'R1', RackOffset: 28 } } },
};

describe('facts', () => {
  it('are read from what the controller gives, and what it leaves out is not invented', async () => {
    answer = json(good);
    const { facts, place } = await readFacts(bmc(), '2026-11-23T09:00:00Z');
    expect(facts).toMatchObject({
      serial: 'HW1',
      arch: 'arm64',
      cores: 16,
      memoryGiB: 64,
      disks: [{ sizeGB: 480, media: 'nvme' }],
      nics: [{ name: 'eno1', mac: '52:8a:1c:40:00:01', speedGbit: 25, link: true }],
      firmware: { bmc: '', system: '2.21' },
    });
    expect(place).toEqual({ rack: 'R1', unit: 28 });
  });
});

describe('a controller that is not what it should be', () => {
  it('gets nothing when its certificate is another', async () => {
    let asked = 0;
    answer = () => {
      asked++;
    };
    expect(await faultOf(readFacts(bmc(fingerprint.replace(/^../, fingerprint.startsWith('00') ? '01' : '00')), ''))).toContain(
      'pin:',
    );
    expect(asked).toBe(0);
  });
  it.each([
    [
      'points outside its own tree',
      json({ ...good, [`${root}/Systems`]: list('http://elsewhere.example/x') }),
      'answer: it points outside its own tree',
    ],
    ['climbs out of it', json({ ...good, [`${root}/Systems`]: list(`${root}/../../admin`) }), 'it has nothing at'],
    [
      'does not fit Redfish',
      json({ ...good, [`${root}/Systems/1`]: { SerialNumber: 7 } }),
      'answer: its answer to /redfish/v1/Systems/1 does not fit Redfish: SerialNumber',
    ],
    ['manages nothing', json({ ...good, [`${root}/Systems`]: list() }), 'answer: it manages no system'],
    [
      'is not JSON',
      (_q: IncomingMessage, r: ServerResponse) => r.writeHead(200).end('<html>'),
      'answer: its answer to /redfish/v1/Systems is not JSON',
    ],
    [
      'never stops talking',
      (_q: IncomingMessage, r: ServerResponse) => r.writeHead(200).end(Buffer.alloc(2_000_000, 'x')),
      'answer: its answer to /redfish/v1/Systems is larger than 1000000 bytes',
    ],
    ['refuses the credentials', (_q: IncomingMessage, r: ServerResponse) => r.writeHead(401).end('{}'), 'credentials:'],
  ] as const)('%s', async (_, how, says) => {
    answer = how as typeof answer;
    expect(await faultOf(readFacts(bmc(), ''))).toContain(says);
  });
  it('says why it does not take a command', async () => {
    answer = (req, res) => {
      if (req.method === 'POST')
        res
          .writeHead(400, { 'content-type': 'application/json' })
          .end(JSON.stringify({ error: { message: 'locked by another session' } }));
      else json(good)(req, res);
    };
    expect(await faultOf(reset(bmc(), 'On'))).toContain('locked by another session');
  });
});

describe('what a machine boots from', () => {
  it('is set until it is taken back, for one start, or taken back', async () => {
    const sent: object[] = [];
    answer = (req, res) => {
      let text = '';
      req.on('data', (d) => {
        text += d;
      });
      req.on('end', () => {
        if (req.method === 'PATCH') sent.push((JSON.parse(text) as { Boot: object }).Boot);
        json(good)(req, res);
      });
    };
    await setHttpBoot(bmc(), 'http://10.0.0.9/boot.efi');
    await setBoot(bmc(), 'Cd');
    await setBoot(bmc(), 'None');
    const mode = { BootSourceOverrideMode: 'UEFI' };
    expect(sent).toEqual([
      // A power cut before there is a system on its disk brings it back to the same place.
      {
        ...mode,
        BootSourceOverrideEnabled: 'Continuous',
        BootSourceOverrideTarget: 'UefiHttp',
        HttpBootUri: 'http://10.0.0.9/boot.efi',
      },
      { ...mode, BootSourceOverrideEnabled: 'Once', BootSourceOverrideTarget: 'Cd' },
      { ...mode, BootSourceOverrideEnabled: 'Disabled', BootSourceOverrideTarget: 'None' },
    ]);
  });
});

describe('an authority for what a machine starts', () => {
  const pem = '-----BEGIN CERTIFICATE-----\nAAAA\n-----END CERTIFICATE-----\n';
  const sys = `${root}/Systems/1`;
  const drive = `${root}/Managers/1/VirtualMedia/1`;
  const named = (id: string) => ({ '@odata.id': id });
  const all = {
    [`${root}/Systems`]: list(sys),
    [`${root}/Managers`]: list(`${root}/Managers/1`),
    [`${root}/Managers/1`]: { VirtualMedia: named(`${root}/Managers/1/VirtualMedia`) },
    [`${root}/Managers/1/VirtualMedia`]: list(drive),
    [sys]: { Boot: { Certificates: named(`${sys}/Boot/Certificates`) } },
    [drive]: { MediaTypes: ['DVD'], Certificates: named(`${drive}/Certificates`) },
    [`${sys}/Boot/Certificates`]: list(`${sys}/Boot/Certificates/1`),
    [`${sys}/Boot/Certificates/1`]: { CertificateString: '-----BEGIN CERTIFICATE-----\nBBBB\n-----END CERTIFICATE-----\n' },
    [`${drive}/Certificates`]: list(),
  };
  /** What is done to a controller that has these documents. */
  const done = async (docs: Record<string, unknown>, act: () => Promise<boolean>, refuses = 0) => {
    const acts: unknown[] = [];
    answer = (req, res) => {
      if (req.method === 'GET') return json(docs)(req, res);
      let text = '';
      req.on('data', (d: Buffer) => {
        text += d;
      });
      req.on('end', () => {
        acts.push([req.method, req.url, JSON.parse(text)]);
        res.writeHead(refuses || 201, { 'content-type': 'application/json' }).end('{}');
      });
    };
    return [await act(), acts];
  };
  const put = { CertificateString: pem, CertificateType: 'PEM' };

  it('is put where firmware keeps its own, beside others', async () => {
    expect(await done(all, () => trustForBoot(bmc(), pem))).toEqual([true, [['POST', `${sys}/Boot/Certificates`, put]]]);
  });
  it('is put in once, however its lines are broken', async () => {
    const there = { ...all, [`${sys}/Boot/Certificates/1`]: { CertificateString: pem.replaceAll('\n', '\r\n') } };
    expect(await done(there, () => trustForBoot(bmc(), pem))).toEqual([true, []]);
  });
  it('is put beside the drive that plays CDs, and checked from then on', async () => {
    expect(await done(all, () => trustForMedia(bmc(), pem))).toEqual([
      true,
      [
        ['POST', `${drive}/Certificates`, put],
        ['PATCH', drive, { VerifyCertificate: true }],
      ],
    ]);
  });
  it('has no place at controllers that name none, have nothing there, or take nothing', async () => {
    expect(await done({ ...all, [sys]: { Boot: {} } }, () => trustForBoot(bmc(), pem))).toEqual([false, []]);
    expect(await done({ ...all, [drive]: { MediaTypes: ['CD'] } }, () => trustForMedia(bmc(), pem))).toEqual([false, []]);
    expect(await done({ ...all, [`${root}/Managers`]: list() }, () => trustForMedia(bmc(), pem))).toEqual([false, []]);
    expect((await done({ ...all, [`${sys}/Boot/Certificates`]: undefined }, () => trustForBoot(bmc(), pem)))[0]).toBe(false);
    expect((await done(all, () => trustForBoot(bmc(), pem), 405))[0]).toBe(false);
    // A controller that is out of order is not one without a place.
    expect(await faultOf(done(all, () => trustForBoot(bmc(), pem), 503))).toMatch(/503/);
  });
});

describe('the name of a drive in the world', () => {
  it.each([
    [[{ DurableName: '5000C500A1B2C3D4', DurableNameFormat: 'NAA' }], '5000C500A1B2C3D4'],
    [
      [
        { DurableName: 'x', DurableNameFormat: 'UUID' },
        { DurableName: 'eui.0025', DurableNameFormat: 'EUI' },
      ],
      'eui.0025',
    ],
    [[{ DurableName: 'x', DurableNameFormat: 'UUID' }], undefined],
    [[{ DurableNameFormat: 'NAA' }], undefined],
    [undefined, undefined],
  ])('of %j is %s', async (Identifiers, wwn) => {
    answer = json({ ...good, [`${root}/D/1`]: { CapacityBytes: 480e9, Protocol: 'NVMe', Identifiers } });
    expect((await readFacts(bmc(), '2026-11-23T09:00:00Z')).facts.disks[0]?.wwn).toBe(wwn);
  });
});
