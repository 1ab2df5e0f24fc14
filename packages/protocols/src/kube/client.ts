import tls from 'node:tls';
import { Agent, request } from 'undici';
import { type Dialer, ProtocolError } from '../dial/index.ts';

/** The Kubernetes API with a client certificate, as far as building and proving need it. */
export interface KubeAt {
  dialer: Dialer;
  host: string;
  address: string;
  ca: string;
  certificate: string;
  key: string;
}

export interface KubeNode {
  metadata: { name: string; labels?: Record<string, string> };
  status?: { conditions?: { type: string; status: string }[]; addresses?: { type: string; address: string }[] };
}
export interface KubeList<T> {
  items: T[];
}

/** One request. Answers undefined on 404. @throws ProtocolError */
export async function kube<T>(
  k: KubeAt,
  path: string,
  options: { method?: string; body?: unknown; contentType?: string } = {},
): Promise<T | undefined> {
  const where = `${k.host}:6443`;
  const at = await k.dialer.locate({ purpose: 'cluster', host: k.address, port: 6443 });
  const agent = new Agent({
    connect: {
      ca: k.ca,
      cert: k.certificate,
      key: k.key,
      servername: k.host,
      timeout: 4000,
      checkServerIdentity: (_: string, cert: tls.PeerCertificate) => tls.checkServerIdentity(k.host, cert),
    },
  });
  try {
    const r = await request(`https://${at.host.includes(':') ? `[${at.host}]` : at.host}:${at.port}${path}`, {
      dispatcher: agent,
      method: (options.method ?? 'GET') as 'GET',
      headers: {
        accept: 'application/json',
        host: where,
        ...(options.body === undefined ? {} : { 'content-type': options.contentType ?? 'application/json' }),
      },
      ...(options.body === undefined ? {} : { body: JSON.stringify(options.body) }),
      headersTimeout: 8000,
      bodyTimeout: 8000,
    });
    const text = await r.body.text();
    if (r.statusCode === 404) return undefined;
    if (r.statusCode >= 400)
      throw new ProtocolError(
        r.statusCode === 401 || r.statusCode === 403 ? 'credentials' : 'answer',
        where,
        `it answered ${r.statusCode} to ${path}: ${text.slice(0, 200)}`,
        r.statusCode,
      );
    return JSON.parse(text) as T;
  } catch (cause) {
    throw ProtocolError.from(cause, where);
  } finally {
    await agent.close();
  }
}

interface KubeObject {
  apiVersion: string;
  kind: string;
  metadata: { name: string; namespace?: string };
}

/** Where an object lives in the API (plural names by rule; the kinds we write follow it). */
export function pathOf(o: KubeObject): string {
  const base = o.apiVersion.includes('/') ? `/apis/${o.apiVersion}` : `/api/${o.apiVersion}`;
  return `${base}${o.metadata.namespace ? `/namespaces/${o.metadata.namespace}` : ''}/${o.kind.toLowerCase()}s/${o.metadata.name}`;
}

/** Server-side apply: made or brought up to date, as often as you like. */
export const apply = (k: KubeAt, o: KubeObject) =>
  kube(k, `${pathOf(o)}?fieldManager=praesidor&force=true`, {
    method: 'PATCH',
    contentType: 'application/apply-patch+yaml',
    body: o,
  });
export const isReady = (n: KubeNode) => n.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True') ?? false;
