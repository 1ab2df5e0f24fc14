import { askMutual, type MutualAt, ProtocolError } from '../dial/index.ts';

/** The Kubernetes API with a client certificate, as far as building and proving need it. */
export type KubeAt = MutualAt;

export interface KubeNode {
  metadata: { name: string; labels?: Record<string, string> };
  status?: {
    conditions?: { type: string; status: string }[];
    addresses?: { type: string; address: string }[];
    nodeInfo?: { kubeletVersion?: string; bootID?: string };
  };
}
export interface KubeList<T> {
  items: T[];
}

/** Bytes of an answer at most: some thousands of nodes or pods are a tenth of it. */
const mostBytes = 128 * 1024 * 1024;
type Options = { method?: string; body?: unknown; contentType?: string };
/** One request. Answers undefined on 404. @throws ProtocolError */
export const kube = async <T>(k: KubeAt, path: string, options: Options = {}): Promise<T | undefined> =>
  (await kubeTold<T>(k, path, options)).body;

/** One request, with what time it was there when it was answered: to the second, in milliseconds since 1970 (RFC 9110 §6.6.1). @throws ProtocolError */
export async function kubeTold<T>(k: KubeAt, path: string, options: Options = {}): Promise<{ body: T | undefined; at: number }> {
  const where = `${k.host}:${k.port}`;
  return askMutual(
    k,
    k.purpose ?? 'cluster',
    {
      path,
      mostBytes,
      ...(options.method ? { method: options.method } : {}),
      ...(options.body === undefined
        ? {}
        : { headers: { 'content-type': options.contentType ?? 'application/json' }, body: JSON.stringify(options.body) }),
    },
    async (status, body, headers) => {
      const text = await body.text();
      const at = Date.parse(String(headers.date ?? ''));
      if (status === 404) return { body: undefined, at };
      if (status >= 400)
        throw new ProtocolError(
          status === 401 || status === 403 ? 'credentials' : 'answer',
          where,
          `it answered ${status} to ${path}: ${saidBy(text)}`,
          status,
        );
      return { body: JSON.parse(text) as T, at };
    },
  );
}

/** What a refusal says: the causes that a Status names, else its message, else what was sent. */
function saidBy(text: string): string {
  try {
    const { message, details } = JSON.parse(text) as { message?: string; details?: { causes?: { message?: string }[] } };
    const causes = (details?.causes ?? []).flatMap((c) => c.message ?? []);
    return (causes.length ? causes.join('; ') : (message ?? text)).slice(0, 400);
  } catch {
    return text.slice(0, 200);
  }
}

export interface KubeObject {
  apiVersion: string;
  kind: string;
  metadata: { name: string; namespace?: string };
}

/** What the API says of its kinds, by version of a group: the name of the resource, and whether it stands in a namespace. */
export type KnownResources = Map<string, Promise<{ kind: string; name: string; namespaced: boolean }[]>>;

/** Where an object lives, as the API says itself (discovery). @throws ProtocolError where it does not know the kind */
async function pathOf(k: KubeAt, o: KubeObject, known: KnownResources): Promise<string> {
  const base = o.apiVersion.includes('/') ? `/apis/${o.apiVersion}` : `/api/${o.apiVersion}`;
  const ask = () =>
    kube<{ resources?: { kind: string; name: string; namespaced: boolean }[] }>(k, base).then((r) => r?.resources ?? []);
  const find = async () =>
    (await (known.get(base) ?? known.set(base, ask()).get(base)))?.find((r) => r.kind === o.kind && !r.name.includes('/'));
  let found = await find();
  if (!found) {
    // A definition that was given a moment ago has its own kinds.
    known.delete(base);
    found = await find();
  }
  if (!found) throw new ProtocolError('answer', `${k.host}:${k.port}`, `it knows no ${o.kind} of ${o.apiVersion}`);
  return `${base}${found.namespaced ? `/namespaces/${o.metadata.namespace ?? 'default'}` : ''}/${found.name}/${o.metadata.name}`;
}

/** Server-side apply: made or brought up to date, as often as you like. `known` is kept by whoever applies several objects. */
export const apply = async (k: KubeAt, o: KubeObject, known: KnownResources = new Map()) =>
  kube(k, `${await pathOf(k, o, known)}?fieldManager=praesidor&force=true`, {
    method: 'PATCH',
    contentType: 'application/apply-patch+yaml',
    body: o,
  });
/** Takes an object away; one that is gone already, or whose kind is, is no fault. @returns whether it was there */
export const remove = async (k: KubeAt, o: KubeObject, known: KnownResources = new Map()): Promise<boolean> => {
  try {
    return (await kube(k, await pathOf(k, o, known), { method: 'DELETE' })) !== undefined;
  } catch (e) {
    if (unknownKind(e, o)) return false;
    throw e;
  }
};
const unknownKind = (e: unknown, o: KubeObject) =>
  e instanceof ProtocolError && e.detail === `it knows no ${o.kind} of ${o.apiVersion}`;
/** Whether an object is there; false also where the API does not know its kind. @throws ProtocolError */
export async function stands(k: KubeAt, o: KubeObject, known: KnownResources = new Map()): Promise<boolean> {
  try {
    return (await kube(k, await pathOf(k, o, known))) !== undefined;
  } catch (e) {
    if (unknownKind(e, o)) return false;
    throw e;
  }
}
export const isReady = (n: KubeNode) => n.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True') ?? false;
