import { mkdirSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { parseAddressMap } from '@praesidor/protocols/dial';
import { controlServer } from './control.ts';
import { readWorld } from './read-world.ts';
import { World } from './world.ts';

/** Starts the stand-ins of a world file. Says one line of JSON when everything listens, ends with its parent. */
const {
  PROVING_WORLD: file = 'demo/world.yaml',
  PROVING_ESTATE: estate = 'demo/estate',
  PROVING_DIR: dir = '.praesidor/world',
  PROVING_PORT: port = '0',
  PROVING_SPEED: speed = '60',
  PRAESIDOR_ADDRESS_MAP: addressMap,
} = process.env;
mkdirSync(dir, { recursive: true });
const world = await new World(readWorld(file, estate), dir, parseAddressMap(addressMap), Number(speed)).start();
const control = controlServer(world);
control.listen(Number(port), '127.0.0.1', () =>
  process.stdout.write(`${JSON.stringify({ listening: (control.address() as AddressInfo).port })}\n`),
);
let ending = false;
const end = () => {
  if (ending) return;
  ending = true;
  control.close();
  void world.close().finally(() => process.exit(0));
};
process.on('SIGTERM', end).on('SIGINT', end);
process.on('disconnect', end);
