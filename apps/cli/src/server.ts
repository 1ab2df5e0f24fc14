import { type IncomingMessage, request as plain } from 'node:http';
import { request as secure } from 'node:https';
import { Me } from '@praesidor/contract';
import type { z } from 'zod';
import { readText, Unusable } from './estate.ts';
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
    const url = of('server', 'PRAESIDOR_SERVER');
    if (!url) throw new Unusable('--server: say where the server is, such as https://praesidor.example');
    if (!URL.canParse(url)) throw new Unusable(`--server: ${url} is no address`);
    const at = new URL(url);
    if (at.protocol !== 'https:' && !(at.protocol === 'http:' && here.test(at.hostname)))
      throw new Unusable(
        `--server: a password or token is not sent over ${at.protocol}//${at.host}: it would be read on its way. Use https://`,
      );
    const server = new Server(at, typeof options.ca === 'string' ? readText(options.ca) : undefined);
    const token = process.env.PRAESIDOR_TOKEN;
    if (token && options.login === undefined) {
      server.token = token;
      return work(server);
    }
    const login = of('login', 'PRAESIDOR_LOGIN');
    const password = process.env.PRAESIDOR_PASSWORD;
    if (!login || !password)
      throw new Unusable(
        'PRAESIDOR_TOKEN is not set; or --login says who does it, and PRAESIDOR_PASSWORD is the password: one of them is not set',
      );
    const me = await server.post('/api/sign-in', { login, password }, Me);
    server.csrf = me.csrf;
    try {
      return await work(server);
    } finally {
      await server.post('/api/sign-out', {}).catch(() => undefined);
    }
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
    const { message, remedy } = (said ?? {}) as { message?: string; remedy?: string };
    throw new Refused([message ?? `${this.url.host} answered with ${status}`, remedy].filter(Boolean).join(' '));
  }

  private send(method: string, path: string, body: string | undefined) {
    const at = new URL(path, this.url);
    const headers = {
      accept: 'application/json',
      ...(this.token ? { authorization: `Bearer ${this.token}` } : {}),
      ...(this.cookie ? { cookie: this.cookie, 'x-csrf-token': this.csrf } : {}),
      ...(body === undefined ? {} : { 'content-type': 'application/json', 'content-length': Buffer.byteLength(body) }),
    };
    return new Promise<{ status: number; text: string; cookies: string }>((done, fail) => {
      const away = (e: Error) =>
        fail(new Unusable(`${this.url.host} cannot be asked: ${e.message || (e as NodeJS.ErrnoException).code}`));
      const take = (res: IncomingMessage) => {
        const parts: Buffer[] = [];
        res.on('data', (d: Buffer) => parts.push(d));
        res.on('error', away);
        res.on('end', () =>
          done({
            status: res.statusCode ?? 0,
            text: Buffer.concat(parts).toString('utf8'),
            cookies: (res.headers['set-cookie'] ?? []).map((c) => c.split(';')[0]).join('; '),
          }),
        );
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
