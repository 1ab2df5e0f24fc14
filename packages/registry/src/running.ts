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

/** A refusal in the form of the distribution specification. */
export function refuse(res: ServerResponse, status: number, code: string, message: string) {
  // What was not read of a request is not waited for; one that was read leaves the connection to the next.
  const { req } = res;
  const bare = req.method === 'GET' || req.method === 'HEAD' || req.headers['content-length'] === '0';
  if (!bare && !req.complete) res.setHeader('connection', 'close');
  res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify({ errors: [{ code, message }] }));
}
export const json = (res: ServerResponse, body: unknown, headers: Record<string, string> = {}) =>
  void res.writeHead(200, { 'content-type': 'application/json', ...headers }).end(JSON.stringify(body));

/** What somebody must be allowed for a request. */
export const needs = (method: string) =>
  method === 'GET' || method === 'HEAD' ? 'pull' : method === 'DELETE' ? 'delete' : 'push';

/** Notes a pull: who, what, and how it was answered. */
export type Log = (
  kind: 'manifest' | 'blob',
  repository: string,
  reference: string,
  digest: string,
  status: number,
) => Promise<void>;
