import { lookup } from 'node:dns/promises';
import { readRegistryAuth } from './auth.ts';
import { anywhere, Dialer, Exits } from '@praesidor/protocols/dial';
import type { RegistryAt } from '@praesidor/protocols/oci';
import { readText, Unusable } from './estate.ts';
import type { Asked } from './options.ts';

/** Options of every command that speaks to a registry. */
export const registryOptions: [string, string][] = [
  ['--registry <host:port>', 'the registry, by the name that its certificate has'],
  ['--ca <file>', 'trust anchors in PEM for its certificate'],
  ['--auth <file>', 'an auth file with the credentials for it'],
  ['--at <address>', 'its address, where no resolver of this machine knows its name'],
];

/** The registry that was asked for, or undefined; and what lets go of its connections. */
export function registryOf({ options }: Asked): { at: RegistryAt; close: () => Promise<void> } | undefined {
  const { registry, ca, auth, at } = options;
  if (typeof registry !== 'string') return undefined;
  if (!/^[A-Za-z0-9.-]+(:\d{1,5})?$/.test(registry)) throw new Unusable(`--registry: ${registry} is no host name with a port`);
  if (typeof ca !== 'string')
    throw new Unusable('--ca is needed: without trust anchors nobody can tell whether it is that registry');
  const dialer = new Dialer(new Exits([], anywhere), async (name) =>
    typeof at === 'string' ? at : (await lookup(name)).address,
  );
  const who = typeof auth === 'string' ? readRegistryAuth(auth, registry) : undefined;
  return {
    at: { dialer, endpoint: registry, trust: { ca: readText(ca) }, ...(who ?? {}) },
    close: () => dialer.close(),
  };
}

/** @throws Unusable where none was named */
export function needRegistry(asked: Asked) {
  const r = registryOf(asked);
  if (!r) throw new Unusable('--registry is needed: the registry by its name and port');
  return r;
}
