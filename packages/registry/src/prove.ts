import { spawn } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { request, type RequestOptions } from 'node:https';
import { setTimeout as pause } from 'node:timers/promises';
import { checkServerIdentity } from 'node:tls';

export interface Proving {
  /** `https://name:port` */
  url: string;
  /** Anchors in PEM: nothing else is trusted. */
  ca: string;
  user: string;
  password: string;
  /** Address, where the name is not to be resolved here. */
  at?: string;
  /** Shell commands that restart it, and that kill it and start it again; left out where not given. */
  restart?: string;
  kill?: string;
  say: (line: string) => void;
}
interface Answer {
  status: number;
  headers: Record<string, string | string[] | undefined>;
  body: Buffer;
}

/**
 * Proves a registry as whoever uses it would meet it: its certificate verifies, wrong passwords are refused, what is
 * pushed is pulled byte by byte, also after a restart, and killed in the middle of an upload it loses nothing that it
 * acknowledged. @throws Error at the first thing that is not so
 */
export async function prove(o: Proving): Promise<void> {
  const ask = asker(o);
  const line = async (what: string, act: () => Promise<string | undefined>) => {
    const more = await act();
    o.say(`proved  ${what}${more ? `: ${more}` : ''}`);
  };
  const repo = `praesidor/proof-${randomBytes(4).toString('hex')}`;
  const digestOf = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
  const wants = (a: Answer, status: number, what: string) => {
    if (a.status !== status)
      throw new Error(`${what}: it answered ${a.status}, not ${status}: ${a.body.toString('utf8').slice(0, 300)}`);
    return a;
  };
  const push = async (bytes: Buffer) => {
    const at = String(wants(await ask('POST', `/v2/${repo}/blobs/uploads/`), 202, 'opening an upload').headers.location);
    wants(await ask('PUT', `${at}?digest=${digestOf(bytes)}`, bytes), 201, 'ending an upload');
  };
  const pull = async (bytes: Buffer, when: string) => {
    const a = wants(await ask('GET', `/v2/${repo}/blobs/${digestOf(bytes)}`), 200, `pulling ${when}`);
    if (!a.body.equals(bytes)) throw new Error(`what was pulled ${when} is not what was pushed`);
  };

  await line('its certificate verifies against the trust bundle', async () => {
    wants(await ask('GET', '/v2/'), 200, 'logging in');
    return o.url;
  });
  await line('a wrong password is refused', async () => {
    wants(await ask('GET', '/v2/', undefined, { authorization: basic(o.user, `${o.password}x`) }), 401, 'a wrong password');
    return undefined;
  });
  const first = randomBytes(3_000_000);
  await line('what is pushed is pulled byte by byte', async () => {
    await push(first);
    await pull(first, 'at once');
    return digestOf(first).slice(0, 19);
  });
  if (o.restart) {
    const command = o.restart;
    await line('the same after a restart', async () => {
      await run(command);
      await answers(ask);
      await pull(first, 'after the restart');
      return undefined;
    });
  }
  if (o.kill) {
    const command = o.kill;
    await line('killed in the middle of an upload, it loses nothing that it acknowledged', async () => {
      const second = randomBytes(1_000_000);
      await push(second);
      const whole = randomBytes(4_000_000);
      const at = String(wants(await ask('POST', `/v2/${repo}/blobs/uploads/`), 202, 'opening an upload').headers.location);
      wants(await ask('PATCH', at, whole.subarray(0, 2_000_000)), 202, 'the first half');
      // All but its last byte: however fast the line is and however slow the kill, this upload is never through.
      const rest = ask('PATCH', at, whole.subarray(2_000_000), {}, 1).catch(() => undefined);
      await run(command);
      await rest;
      await answers(ask);
      await pull(second, 'after the kill');
      const got = Number(wants(await ask('GET', at), 204, 'asking how much arrived').headers['praesidor-received'] ?? 0);
      if (got < 2_000_000) throw new Error(`of 2000000 acknowledged bytes ${got} are left`);
      wants(
        await ask('PUT', `${at}?digest=${digestOf(whole)}`, whole.subarray(got), {
          'content-range': `${got}-${whole.length - 1}`,
        }),
        201,
        'going on with the upload',
      );
      await pull(whole, 'in two halves');
      return `went on at byte ${got}`;
    });
  }
}

const basic = (user: string, password: string) => `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`;

function asker(o: Proving) {
  const url = new URL(o.url);
  /** @param kept bytes at the end of the body that are announced and never sent */
  return (method: string, path: string, body?: Buffer, headers: Record<string, string> = {}, kept = 0) =>
    new Promise<Answer>((done, fail) => {
      const options: RequestOptions = {
        host: o.at ?? url.hostname,
        servername: url.hostname,
        port: Number(url.port || 443),
        method,
        path,
        ca: o.ca,
        timeout: 15_000,
        headers: {
          host: url.host,
          authorization: basic(o.user, o.password),
          ...(body ? { 'content-length': String(body.length) } : method === 'POST' ? { 'content-length': '0' } : {}),
          ...headers,
        },
        ...(o.at ? { checkServerIdentity: (_host, cert) => checkServerIdentity(url.hostname, cert) } : {}),
      };
      const req = request(options, (res) => {
        const chunks: Buffer[] = [];
        res.on('data', (c: Buffer) => chunks.push(c));
        res.on('end', () => done({ status: res.statusCode ?? 0, headers: res.headers, body: Buffer.concat(chunks) }));
        res.on('error', fail);
      });
      req.on('timeout', () => req.destroy(new Error('it does not answer')));
      req.on('error', (e) => fail(new Error(`${o.url}: ${e.message}`)));
      if (kept && body) req.write(body.subarray(0, body.length - kept));
      else req.end(body);
    });
}

/** Waits until it answers again. */
async function answers(ask: ReturnType<typeof asker>): Promise<void> {
  for (let n = 0; ; n++) {
    const a = await ask('GET', '/v2/').catch(() => undefined);
    if (a?.status === 200) return;
    if (n > 150) throw new Error('it does not answer again');
    await pause(200);
  }
}

const run = (command: string) =>
  new Promise<void>((done, fail) => {
    const p = spawn('/bin/sh', ['-c', command], { stdio: ['ignore', 'ignore', 'inherit'] });
    p.once('error', fail);
    p.once('exit', (code) => (code === 0 ? done() : fail(new Error(`${command}: ended with ${code}`))));
  });
