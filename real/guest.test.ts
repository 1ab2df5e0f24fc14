import type { ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { buildOf, type Client, eventually, freePort, Installation, shipmentIn } from '../apps/server/test/installation.ts';
import { certificate, Front } from './front.ts';
import { putOn } from './put.ts';
import { answerFirmware, checksFor, hall, Machine, openRoom } from './machine.ts';

/**
 * A guest, cast from the disk that `npm run system` makes: it is told by its hypervisor where its first-boot data are, fetches them over
 * TLS, by the authority that its system has, with an address of DHCP, and becomes a node whose root lasts. Its kubelet is a program that waits.
 */
const parts = process.env.PRAESIDOR_REAL ?? '';
const dir = mkdtempSync(join(tmpdir(), 'guest-'));
const i = new Installation();
let c: Client;
let front: Front;
let dhcp: ChildProcess | undefined;
let machine: Machine | undefined;
const host = 'bw-g1';
const bills = ['1.33.6', 'inbound-router'];

beforeAll(async () => {
  const ca = {
    cert: readFileSync(join(parts, 'authority.crt'), 'utf8'),
    key: readFileSync(join(parts, 'authority.key'), 'utf8'),
  };
  const port = await freePort();
  // Ports above are moved by up to 50,000.
  const tls = 8443;
  front = new Front(hall, port, certificate(dir, 'server', ca, hall.server), ca);
  let shift = 0;
  await i.start({
    settings: { port, publicUrl: `https://${hall.server}:${tls}`, urlAuthority: ca.cert, trustProxy: ['127.0.0.1'] },
    timeoutSeconds: 1800,
    before: (to) => {
      shift = to;
      openRoom(to, hall);
    },
  });
  await front.open(tls, shift);
  c = await i.as('warden');
  await eventually(async () => {
    const { bills: read, registries } = (await c.estate()).observed;
    return bills.every((b) => read[b]) && registries['bw-registry'];
  }, 'the bills are read');
  const { shipment } = await c.good<{ shipment: { label: string } }>('POST', '/api/shipments', { target: 'bw-registry', bills });
  await c.good('POST', `/api/shipments/${shipment.label}/start`);
  await shipmentIn(c, shipment.label, 'landed');
});
afterAll(async () => {
  dhcp?.kill('SIGKILL');
  machine?.powerOff();
  front.close();
  await i.stop();
  rmSync(dir, { recursive: true, force: true });
});

const checked = async (start: 'FIRST' | 'SECOND', ms: number) => {
  const said = await eventually(
    async () => machine?.said().includes(`CHECK ${start} END`) && machine.said(),
    `the guest has checked itself: ${start}`,
    ms,
  ).catch((e: Error) => {
    throw new Error(`${e.message}\n${machine?.said().slice(-6000)}`);
  });
  const from = start === 'FIRST' ? 0 : said.indexOf('CHECK FIRST END');
  const checks = [...said.slice(from, said.indexOf(`CHECK ${start} END`)).matchAll(/CHECK (PASS|FAIL) (.*)/g)].map(
    (x) => `${x[1]} ${x[2]}`,
  );
  process.stdout.write(`${checks.join('\n')}\n`);
  return { passed: checks.filter((x) => x.startsWith('PASS')).length, failed: checks.filter((x) => x.startsWith('FAIL')) };
};

it('a guest boots from its disk image, fetches its first-boot data, and pulls its images through the mirror', async () => {
  // The emulated guest takes the place of one stand-in; the others stay off, so that it has the processors for itself.
  for (const n of [1, 2, 3, 4, 5, 6]) i.plant('node-never-boots', `bw-g${n}`);
  await c.good('POST', '/api/builds', { charter: 'gannet' });
  const domain = await eventually(
    async () => [...i.world.hypervisors.values()].map((h) => h.guests.get(host)).find((g) => g?.machine.power === 'On')?.domain,
    'the hypervisor has started the guest',
    60_000,
  );
  const { plan } = await c.good<{ plan: { nodes: { host: string; address: string; nic: string }[] } }>(
    'GET',
    '/api/builds/gannet/1',
  );
  const node = plan.nodes.find((n) => n.host === host);
  dhcp = answerFirmware(dir, undefined, hall);
  machine = new Machine(join(dir, host), {
    mac: domain.nics[0]?.mac ?? '',
    at: hall,
    memoryMiB: 2560,
    guest: {
      disks: domain.disks.map(({ serial = '' }, n) =>
        n ? { serial, sizeGB: 400 } : { serial, sizeGB: 120, from: join(parts, 'system/disk') },
      ),
      serial: `ds=nocloud-net;s=${domain.seed}`,
    },
    checks: checksFor('guest.sh', {
      nic: node?.nic ?? '',
      address: `${node?.address}/24`,
      resolver: '10.40.0.53',
      domain: 'bw.kestrelferries.example',
      registry: 'registry.bw.kestrelferries.example',
    }),
  });
  machine.powerOn();
  await eventually(
    async () => {
      const s = (await buildOf(c, 1, 'gannet')).status.steps[`${host}/images`];
      if (s?.state === 'failed') throw new Error(s.text);
      return s?.state === 'done';
    },
    `images of ${host} are done`,
    1_400_000,
  ).catch((e: Error) => {
    throw new Error(`${e.message}\n${machine?.said().slice(-6000)}`);
  });
  expect(await checked('FIRST', 600_000)).toEqual({ passed: 23, failed: [] });
});

it('takes files of a later change while it runs, from the server alone', async () => {
  const { code, said } = await putOn(i, 'gannet', host);
  expect(code, said).toBe(0);
  expect(said).toContain('put /etc/praesidor/probe');
  expect(said).toContain('started anew: kubelet');
});

it('is what it was after a power cut, without anybody to ask', async () => {
  dhcp?.kill('SIGKILL');
  machine?.powerOff();
  await machine?.ended();
  machine?.powerOn();
  expect(await checked('SECOND', 1_000_000)).toEqual({ passed: 10, failed: [] });
});
