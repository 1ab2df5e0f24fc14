import { request } from 'node:https';
import type { Me } from '@praesidor/contract';
import { mapAddress } from '@praesidor/protocols/dial';
import type { Installation } from './installation.ts';

/** Keeps cookies by host, and follows nothing by itself. */
export class Browser {
  constructor(private readonly i: Installation) {}
  private readonly cookies = new Map<string, Map<string, string>>();
  async go(url: string, form?: Record<string, string>): Promise<{ status: number; to: string; text: string }> {
    const u = new URL(url);
    const jar = this.cookies.get(u.host) ?? new Map<string, string>();
    this.cookies.set(u.host, jar);
    const r = await send(
      this.i,
      u,
      [...jar].map(([k, v]) => `${k}=${v}`).join('; '),
      form && new URLSearchParams(form).toString(),
    );
    for (const c of r.cookies) {
      const [, k = '', v = ''] = /^([^=]+)=([^;]*)/.exec(c) ?? [];
      if (v === '' || /expires=Thu, 01 Jan 1970/i.test(c)) jar.delete(k);
      else jar.set(k, v);
    }
    return { status: r.status, to: r.location ? new URL(r.location, url).href : '', text: r.text };
  }
  async begin(back?: string): Promise<string> {
    return (await this.go(`${this.i.config.publicUrl}/api/sign-in/begin${back ? `?back=${encodeURIComponent(back)}` : ''}`)).to;
  }
  /** From the page of this installation to where the provider sends the browser back. */
  async atProvider(login: string, password: string, back?: string): Promise<string> {
    const there = await this.begin(back);
    if (!there.includes('/authorize')) throw new Error(there);
    const r = await this.go(there, { login, password });
    if (!r.to) throw new Error(`${r.status} ${r.text.slice(0, 300)}`);
    return r.to;
  }
  /** All of it. @returns the page that it ends at, of this installation; also where the browser never came to the provider */
  async signIn(login: string, password: string, back?: string): Promise<string> {
    const there = await this.begin(back);
    if (there.startsWith(this.i.config.publicUrl)) return there.replace(this.i.config.publicUrl, '');
    const home = (await this.go(there, { login, password })).to;
    return (await this.go(home)).to.replace(this.i.config.publicUrl, '');
  }
  async me(): Promise<(Me & { code?: string }) | undefined> {
    const a = await this.go(`${this.i.config.publicUrl}/api/me`);
    return a.status === 200 ? (JSON.parse(a.text) as Me) : undefined;
  }
}
/** What is under a name of the scenario is reached where the devices listen, over TLS that is checked. */
async function send(i: Installation, u: URL, cookie: string, form: string | undefined) {
  const headers = {
    ...(cookie ? { cookie } : {}),
    ...(form === undefined ? {} : { 'content-type': 'application/x-www-form-urlencoded' }),
  };
  const method = form === undefined ? 'GET' : 'POST';
  if (u.protocol === 'http:') {
    const r = await fetch(u, { method, redirect: 'manual', headers, ...(form === undefined ? {} : { body: form }) });
    return { status: r.status, location: r.headers.get('location'), cookies: r.headers.getSetCookie(), text: await r.text() };
  }
  const at = mapAddress(i.config.addressMap, '10.40.8.7', Number(u.port));
  return new Promise<{ status: number; location: string | null; cookies: string[]; text: string }>((done, fail) => {
    const req = request(
      {
        ...at,
        method,
        path: `${u.pathname}${u.search}`,
        servername: u.hostname,
        ca: i.world.authorities.get('bw')?.cert,
        headers: { ...headers, host: u.host },
      },
      (res) => {
        let text = '';
        res.on('data', (c) => {
          text += String(c);
        });
        res.on('end', () =>
          done({
            status: res.statusCode ?? 0,
            location: res.headers.location ?? null,
            cookies: res.headers['set-cookie'] ?? [],
            text,
          }),
        );
      },
    );
    req.on('error', fail);
    req.end(form);
  });
}
