import { z } from 'zod';
import type { SeenHypervisor } from '@praesidor/core/model';
import { askJson, type Dialer, endpointOf, type Leash, ProtocolError, type Target } from '../dial/index.ts';

/** The driver of one hypervisor: REST over TLS, domains as libvirt's XML. */
export interface Driver {
  dialer: Dialer;
  endpoint: string;
  ca?: string | undefined;
  user: string;
  password: string;
  leash?: Leash | undefined;
  signal?: AbortSignal;
}

const targetOf = (d: Driver): Target => {
  return {
    purpose: 'hypervisor',
    ...endpointOf(d.endpoint),
    tls: true,
    leash: d.leash,
    ...(d.ca ? { trust: { ca: d.ca } } : {}),
  };
};

async function ask<T>(d: Driver, method: string, path: string, schema: z.ZodType<T>, body?: unknown): Promise<T> {
  const { json } = await askJson<unknown>(d.dialer, targetOf(d), {
    method,
    path: `/v1${path}`,
    timeoutMs: 10_000,
    headers: {
      authorization: `Basic ${Buffer.from(`${d.user}:${d.password}`).toString('base64')}`,
      ...(typeof body === 'string' ? { 'content-type': 'application/xml' } : {}),
    },
    ...(body === undefined ? {} : { body }),
    ...(d.signal ? { signal: d.signal } : {}),
  });
  const parsed = schema.safeParse(json);
  if (!parsed.success)
    throw new ProtocolError(
      'answer',
      d.endpoint,
      `its answer to ${method} ${path} cannot be read: ${parsed.error.issues[0]?.path.join('.')} ${parsed.error.issues[0]?.message}`,
    );
  return parsed.data;
}

const Guest = z.object({ name: z.string(), state: z.enum(['running', 'off']), vcpu: z.number(), memoryGiB: z.number() });
export type SeenGuest = z.infer<typeof Guest>;
const State = z.object({
  cores: z.number(),
  memoryGiB: z.number(),
  freeGiB: z.number(),
  pools: z.array(z.object({ name: z.string(), sizeGB: z.number(), freeGB: z.number() })),
  bridges: z.array(z.string()),
  images: z.array(z.string()),
  guests: z.array(Guest).max(10_000),
});
const nothing = z.unknown();
const enc = encodeURIComponent;

/** Everything the hypervisor says of itself and its guests. @throws ProtocolError */
export const readHypervisor = async (d: Driver, at: string): Promise<SeenHypervisor> => ({
  at,
  ...(await ask(d, 'GET', '/state', State)),
});

/** A volume of a pool, written from an image or empty. What is there already with that size is left. */
export const makeVolume = (d: Driver, pool: string, name: string, sizeGB: number, image?: string) =>
  ask(d, 'PUT', `/pools/${enc(pool)}/volumes/${enc(name)}`, nothing, { sizeGB, ...(image ? { image } : {}) });
/** Gone already is gone. */
export const dropVolume = (d: Driver, pool: string, name: string) =>
  ask(d, 'DELETE', `/pools/${enc(pool)}/volumes/${enc(name)}`, nothing).catch(unlessMissing);
/** Defines a guest, or defines it anew while it is off. */
export const define = (d: Driver, name: string, xml: string) => ask(d, 'PUT', `/guests/${enc(name)}`, nothing, xml);
export const guestState = async (d: Driver, name: string): Promise<SeenGuest | undefined> =>
  ask(d, 'GET', `/guests/${enc(name)}`, Guest).catch((e: unknown) => {
    unlessMissing(e);
    return undefined;
  });
export const start = (d: Driver, name: string) => ask(d, 'POST', `/guests/${enc(name)}/start`, nothing, {});
export const stop = (d: Driver, name: string, force = false) => ask(d, 'POST', `/guests/${enc(name)}/stop`, nothing, { force });
export const undefine = (d: Driver, name: string) => ask(d, 'DELETE', `/guests/${enc(name)}`, nothing).catch(unlessMissing);

function unlessMissing(e: unknown): void {
  if (!(e instanceof ProtocolError) || e.fault !== 'missing') throw e;
}
