import { z } from 'zod';
import { askJson, type Dialer, type Leash, ProtocolError, type Target } from '../dial/index.ts';

/** Redfish (DMTF DSP0266) over HTTPS: one controller, pinned, and how it is asked. */
export interface Bmc {
  dialer: Dialer;
  address: string;
  fingerprint: string;
  user: string;
  password: string;
  leash?: Leash | undefined;
  signal?: AbortSignal;
  /** Told after every request whether it was answered, and what failed otherwise. */
  heard?: (fault?: ProtocolError) => void;
}

export const Link = z.object({ '@odata.id': z.string() });
export type Link = z.infer<typeof Link>;
export const Collection = z.object({ Members: z.array(Link).max(1024) });

/** Controllers answer within a few seconds, or not at all. */
const timeoutMs = 5000;

const target = (b: Bmc): Target => ({
  purpose: 'controller',
  host: b.address,
  port: 443,
  tls: true,
  leash: b.leash,
  trust: { fingerprint: b.fingerprint },
});
const authorization = (b: Bmc) => ({ authorization: `Basic ${Buffer.from(`${b.user}:${b.password}`).toString('base64')}` });

/** What a controller points at must lie in its own tree. */
function inside(b: Bmc, path: string): string {
  if (!/^\/redfish\/v1[\w/.:-]*$/.test(path))
    throw new ProtocolError('answer', b.address, `it points outside its own tree: ${JSON.stringify(path.slice(0, 80))}`);
  return path;
}

/** Tells `heard` how a request ended. */
async function hearing<T>(b: Bmc, request: Promise<T>): Promise<T> {
  try {
    const answer = await request;
    b.heard?.();
    return answer;
  } catch (e) {
    if (e instanceof ProtocolError) b.heard?.(e);
    throw e;
  }
}

export const get = <T>(b: Bmc, path: string, schema: z.ZodType<T>): Promise<T> => hearing(b, read(b, path, schema));
async function read<T>(b: Bmc, path: string, schema: z.ZodType<T>): Promise<T> {
  const { json } = await askJson<unknown>(
    b.dialer,
    target(b),
    { path: inside(b, path), headers: authorization(b), timeoutMs, ...(b.signal ? { signal: b.signal } : {}) },
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

/** A command. @returns the place of the task that it began, where it began one */
export const act = (b: Bmc, method: 'POST' | 'PATCH', path: string, body: unknown): Promise<string | undefined> =>
  hearing(b, command(b, method, path, body));
async function command(b: Bmc, method: 'POST' | 'PATCH', path: string, body: unknown): Promise<string | undefined> {
  const r = await askJson<{ '@odata.id'?: string } | undefined>(b.dialer, target(b), {
    method,
    path: inside(b, path),
    headers: authorization(b),
    timeoutMs,
    body,
    ...(b.signal ? { signal: b.signal } : {}),
  });
  if (r.status !== 202) return undefined;
  const place = r.json?.['@odata.id'] ?? r.headers.location;
  return typeof place === 'string' ? inside(b, place) : undefined;
}

/** Members of a collection, one after the other: controllers are small. At most 256. */
export async function members<T>(b: Bmc, link: Link | null | undefined, schema: z.ZodType<T>): Promise<T[]> {
  if (!link) return [];
  const { Members } = await get(b, link['@odata.id'], Collection);
  const out: T[] = [];
  for (const m of Members.slice(0, 256)) out.push(await get(b, m['@odata.id'], schema));
  return out;
}

export const firstSystem = async (b: Bmc) => {
  const { Members } = await get(b, '/redfish/v1/Systems', Collection);
  const path = Members[0]?.['@odata.id'];
  if (!path) throw new ProtocolError('answer', b.address, 'it manages no system');
  return path;
};
