import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Pair } from './certificate.ts';
import type { Scrub } from './collect.ts';
import type { Login, Tokens } from './login.ts';
import type { Store } from './store.ts';

export interface RegistryOptions {
  store: Store;
  tls?: Pair;
  /** Keeps a certificate that was handed over; without it, none is taken. */
  takePair?: (pair: Pair) => Promise<void>;
  /** Who may log in; nobody asked for: everybody may read and write. */
  login?: Login;
  /** The same from names and passwords held in memory; `writers` may write, all of them where not given. */
  users?: Record<string, string>;
  writers?: string[];
  /** How clients are to show who they are: with every request, or with a token got for it. Both are always taken. */
  scheme?: 'basic' | 'bearer';
  /** Seconds that a token is good for. */
  tokenSeconds?: number;
  readOnly?: boolean;
  /** Looks at every request first; true means that it has answered. Faults and limits are put in front this way. */
  before?: (req: IncomingMessage, res: ServerResponse) => boolean | Promise<boolean>;
  now?: () => Date;
}

/** What is counted for `/metrics`. */
export interface Counts {
  requests: Map<string, number>;
  sent: number;
  received: number;
  /** Pulls that could not be noted. */
  unnoted: number;
}
/** A registry that answers: what it was given, and what it keeps while it runs. */
export interface Running extends RegistryOptions {
  tokens: Tokens;
  scrub: Scrub;
  counts: Counts;
  startedAt: number;
  /** Shows another certificate to whoever connects from now on. */
  show?: (pair: Pair) => void;
}

/** Names of repositories, as the distribution specification has them. */
export const NAME = '([a-z0-9]+(?:(?:\\.|_|__|-+)[a-z0-9]+)*(?:/[a-z0-9]+(?:(?:\\.|_|__|-+)[a-z0-9]+)*)*)';

const name = new RegExp(`^${NAME}$`);
/** A repository's name that a folder can have: each part with a letter before it within 255 bytes. */
export const isName = (text: string): boolean => text.length <= 254 && name.test(text);
/** Digests that this registry keeps (OCI image specification, descriptor). */
export const DIGEST = /^sha256:[0-9a-f]{64}$/;

/**
 * Reads on what a client still sends, so that it gets as far as reading the answer; a few seconds at most. Whoever waits
 * for leave to send (RFC 9110 §10.1.1) has sent nothing, and is let go.
 */
function drain(req: IncomingMessage): void {
  const { socket } = req;
  const timer = setTimeout(() => socket.destroy(), 5000);
  req.once('close', () => clearTimeout(timer)).resume();
}

/** A refusal in the form of the distribution specification. */
export function refuse(res: ServerResponse, status: number, code: string, message: string) {
  const { req } = res;
  const bare = req.method === 'GET' || req.method === 'HEAD' || req.headers['content-length'] === '0';
  if (!bare && !req.complete) drain(req);
  res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify({ errors: [{ code, message }] }));
}
export const json = (res: ServerResponse, body: unknown, headers: Record<string, string> = {}) =>
  void res.writeHead(200, { 'content-type': 'application/json', ...headers }).end(JSON.stringify(body));

/** Where many small blobs are read in one request: what is asked for stands in its body. */
export const bundleOut = '/praesidor/blobs/read';
/** Where many small blobs are taken in one request. */
export const bundleIn = '/praesidor/blobs/write';

/** What somebody must be allowed for a request. */
export const needs = (method: string, path = '') =>
  method === 'GET' || method === 'HEAD' || path === bundleOut ? 'pull' : method === 'DELETE' ? 'delete' : 'push';

/** Notes a pull: who, what, and how it was answered. */
export type Log = (
  kind: 'manifest' | 'blob',
  repository: string,
  reference: string,
  digest: string,
  status: number,
) => Promise<void>;
