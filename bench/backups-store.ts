import { mkdtempSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { makeCertificate } from '../packages/standins/src/certificates.ts';
import { Faults } from '../packages/standins/src/faults.ts';
import { Objects, objectsServer } from '../packages/standins/src/objects.ts';

/** A store of objects in a process of its own: says where it is, and ends with whoever began it. */
const dir = mkdtempSync(join(process.argv[2] ?? tmpdir(), 'store-'));
const host = 'objects.example';
const ca = await makeCertificate({ commonName: 'Bench CA', isCa: true, days: 2 });
const pair = await makeCertificate({ commonName: host, names: [host], days: 1, ca });
const spec = {
  name: 'bench',
  host,
  address: '127.0.0.1',
  port: 0,
  ca: '',
  region: 'bw',
  buckets: ['one', 'two'],
  users: { keeper: 'bench' },
  room: 1e12,
};
const server = objectsServer(new Objects(spec, dir, new Faults()), pair);
server.listen(0, '127.0.0.1', () =>
  process.stdout.write(`${JSON.stringify({ port: (server.address() as AddressInfo).port, ca: ca.cert, dir })}\n`),
);
process.stdin.on('end', () => process.exit(0)).resume();
