import { type IncomingMessage, request as plain } from 'node:http';
import { request as secure } from 'node:https';
import { Me } from '@praesidor/contract';
import type { z } from 'zod';
import { readText, Unusable } from './estate.ts';
import { signedIn } from './signed-in.ts';
import type { Asked } from './options.ts';

/** The server does not do it, and says why: nothing is wrong with what was typed. */
export class Refused extends Error {}

/** Options of every command that works on a server. */
export const serverOptions: [string, string][] = [
  ['--server <url>', 'where the server is; PRAESIDOR_SERVER where not given'],
  [
    '--login <name>',
    'who does it, by password; PRAESIDOR_LOGIN where not given, and PRAESIDOR_PASSWORD. A program has PRAESIDOR_TOKEN in place of both',
  ],
  ['--ca <file>', 'authority that the server’s certificate is of, beside those that are known'],
];

/** How long an answer is waited for, in milliseconds. */
const patience = 60_000;
const here = /^(localhost|127(\.\d+){3}|\[::1\])$/;

/** A server that somebody has signed in at, or whose token a program has; it is asked over HTTP as the browser asks it. */
export class Server {
  private cookie = '';
  private csrf = '';
  private token: string | undefined;
  private constructor(
    private readonly url: URL,
    private readonly ca: string | undefined,
  ) {}

  /** Signs in, does something, and signs out. @throws Unusable where nobody can be signed in; Refused where the server does not do it */
  static async with<T>({ options }: Asked, work: (server: Server) => Promise<T>): Promise<T> {
    const of = (name: string, variable: string) => {
      const v = options[name] ?? process.env[variable];
      return typeof v === 'string' && v ? v : undefined;
    };
    const kept = signedIn();
    const url = of('server', 'PRAESIDOR_SERVER') ?? kept?.server;
    if (!url) throw new Unusable('--server: say where the server is, such as https://praesidor.example');
    if (!URL.canParse(url)) throw new Unusable(`--server: ${url} is no address`);
    const at = new URL(url);
    if (at.protocol !== 'https:' && !(at.protocol === 'http:' && here.test(at.hostname)))
      throw new Unusable(
        `--server: a password or token is not sent over ${at.protocol}//${at.host}: it would be read on its way. Use https://`,
      );
    // What somebody signed in with is sent to the server that it is of, and nowhere else.
    const own = kept && new URL(kept.server).href === at.href ? kept : undefined;
    const server = new Server(at, typeof options.ca === 'string' ? readText(options.ca) : own?.ca);
    const token = process.env.PRAESIDOR_TOKEN ?? (of('login', 'PRAESIDOR_LOGIN') ? undefined : own?.token);
    if (token && options.login === undefined) {
      server.token = token;
      return work(server);
    }
    const login = of('login', 'PRAESIDOR_LOGIN');
    const password = process.env.PRAESIDOR_PASSWORD;
    if (!login || !password)
      throw new Unusable(
        'nobody is signed in: praesidor sign-in, or PRAESIDOR_TOKEN; or --login says who does it, and PRAESIDOR_PASSWORD is the password',
      );
    const me = await server.post('/api/sign-in', { login, password }, Me);
    server.csrf = me.csrf;
    try {
      return await work(server);
    } finally {
      await server.post('/api/sign-out', {}).catch(() => undefined);
    }
  }

  /** An answer that is no JSON, as it comes. */
  async text(path: string): Promise<string> {
    const { status, text } = await this.send('GET', path, undefined);
    if (status < 400) return text;
    throw refusalOf(parsed(text), this.url.host, status);
  }
  /** Any request, as it is written: what it answers, as it was read. */
  any = (method: string, path: string, body?: unknown): Promise<unknown> => this.ask(method, path, body as object | undefined);
  /** Where it is. */
  get href(): string {
    return this.url.href;
  }
  get = async <S extends z.ZodType>(path: string, answer: S): Promise<z.output<S>> => answer.parse(await this.ask('GET', path));
  async post<S extends z.ZodType>(path: string, body: object, answer?: S): Promise<z.output<S>> {
    const said = await this.ask('POST', path, body);
    return (answer ? answer.parse(said) : said) as z.output<S>;
  }

  private async ask(method: string, path: string, body?: object): Promise<unknown> {
    const { status, text, cookies } = await this.send(method, path, body === undefined ? undefined : JSON.stringify(body));
    if (cookies) this.cookie = cookies;
    const said = parsed(text);
    if (status < 400) return said;
    throw refusalOf(said, this.url.host, status);
  }

  /** A file that is there, in bytes. */
  async file(path: string): Promise<Buffer> {
    const { status, bytes } = await this.send('GET', path, undefined);
    if (status < 400) return bytes;
    throw refusalOf(parsed(bytes.toString('utf8')), this.url.host, status);
  }
  /** A file that is carried in, as it is. */
  async bring<S extends z.ZodType>(path: string, bytes: Buffer, type: string, answer: S): Promise<z.output<S>> {
    const { status, text } = await this.send('POST', path, bytes, type);
    if (status < 400) return answer.parse(parsed(text));
    throw refusalOf(parsed(text), this.url.host, status);
  }

  private send(method: string, path: string, body: string | Buffer | undefined, type = 'application/json') {
    const at = new URL(path, this.url);
    const headers = {
      accept: 'application/json',
      ...(this.token ? { authorization: `Bearer ${this.token}` } : {}),
      ...(this.cookie ? { cookie: this.cookie, 'x-csrf-token': this.csrf } : {}),
      ...(body === undefined ? {} : { 'content-type': type, 'content-length': Buffer.byteLength(body) }),
    };
    return new Promise<{ status: number; text: string; bytes: Buffer; cookies: string }>((done, fail) => {
      const away = (e: Error) =>
        fail(new Unusable(`${this.url.host} cannot be asked: ${e.message || (e as NodeJS.ErrnoException).code}`));
      const take = (res: IncomingMessage) => {
        const parts: Buffer[] = [];
        res.on('data', (d: Buffer) => parts.push(d));
        res.on('error', away);
        res.on('end', () => {
          const bytes = Buffer.concat(parts);
          done({
            status: res.statusCode ?? 0,
            text: bytes.toString('utf8'),
            bytes,
            cookies: (res.headers['set-cookie'] ?? []).map((c) => c.split(';')[0]).join('; '),
          });
        });
      };
      const asked = { method, headers, timeout: patience };
      const req =
        at.protocol === 'https:' ? secure(at, { ...asked, ...(this.ca ? { ca: this.ca } : {}) }, take) : plain(at, asked, take);
      req.on('timeout', () => req.destroy(new Error('it takes the connection and does not answer')));
      req.on('error', away);
      req.end(body);
    });
  }
}

function parsed(text: string): unknown {
  try {
    return text ? JSON.parse(text) : {};
  } catch {
    return undefined;
  }
}

/** What was refused, with each place and what to do, a line each. */
function refusalOf(said: unknown, host: string, status: number): Refused {
  const { message, remedy, places } = (said ?? {}) as {
    message?: string;
    remedy?: string;
    places?: { path?: string; code?: string; message: string }[];
  };
  const lines = (places ?? []).slice(1, 20).map((p) => `  ${[p.code, p.path, p.message].filter(Boolean).join(' ')}`);
  return new Refused([[message ?? `${host} answered with ${status}`, remedy].filter(Boolean).join(' '), ...lines].join('\n'));
}
