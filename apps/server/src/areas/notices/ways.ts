import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { isIp } from '@praesidor/core/address';
import { type Act, framed, headOf, linesOf, mailOf, type Notice, pageOf, syslogLine, wayOf } from '@praesidor/core/notices';
import { ProtocolError } from '@praesidor/protocols/dial';
import { createTransport } from 'nodemailer';
import type { Context } from '../../context.ts';
import { credential } from '../keyring/service.ts';

/** How long somebody who is told has to answer, in milliseconds. */
const patience = 15_000;
type Send = (ctx: Context, n: Notice, acts: readonly Act[]) => Promise<void>;

const target = (n: Notice) => {
  const { host, port, tls, ca } = wayOf(n);
  return { purpose: 'notice' as const, host, port, tls, ...(ca ? { trust: { ca } } : {}) };
};
const secretOf = (ctx: Context, n: Notice, name: string | undefined) =>
  name === undefined
    ? undefined
    : credential(ctx.config, ctx.db.manager, name, { use: 'other', document: `Notice ${n.name}`, host: wayOf(n).host });

/** One POST an act, in their order: what was told already is not told again when a later one fails, but for the one that failed. */
async function webhook(ctx: Context, n: Notice, acts: readonly Act[]): Promise<void> {
  if (!n.webhook) return;
  const key = await secretOf(ctx, n, n.webhook.credential);
  const u = new URL(n.webhook.url);
  const body = acts.map((a) => ({ ...a, title: headOf(a), lines: linesOf(a), ...urlOf(ctx, a) }));
  const { status, body: answer } = await ctx.dialer.ask(
    { ...target(n), ...(key ? { leash: key.leash } : {}) },
    {
      method: 'POST',
      path: `${u.pathname}${u.search}`,
      headers: { 'content-type': 'application/json', ...(key ? { authorization: `Bearer ${key.secret}` } : {}) },
      body: JSON.stringify({ acts: body }),
      timeoutMs: patience,
    },
  );
  await answer.dump();
  if (status < 200 || status > 299) throw new ProtocolError('answer', u.host, `it answers with ${status}`, status);
}
const urlOf = (ctx: Context, a: Act) => {
  const page = pageOf(a);
  return page ? { url: `${ctx.config.publicUrl}${page}` } : {};
};

/** One mail about all of them. */
async function mail(ctx: Context, n: Notice, acts: readonly Act[]): Promise<void> {
  const { mail: m } = n;
  if (!m) return;
  const to = target(n);
  const key = await secretOf(ctx, n, m.credential);
  const transport = createTransport({
    host: to.host,
    port: to.port,
    secure: m.security === 'tls',
    requireTLS: m.security === 'starttls',
    ignoreTLS: m.security === 'none',
    ...(key ? { auth: { user: key.user, pass: key.secret } } : {}),
    tls: {
      ...(m.ca ? { ca: m.ca } : {}),
      ...(isIp(to.host) ? {} : { servername: to.host }),
      rejectUnauthorized: true,
      minVersion: 'TLSv1.2',
    },
    greetingTimeout: patience,
    socketTimeout: patience,
    // The way out is that of everything else: nothing is connected to that was not asked about.
    getSocket: (_: unknown, done: (e: Error | null, s?: object) => void) => {
      ctx.dialer.connect({ ...to, ...(key ? { leash: key.leash } : {}) }).then(
        (connection) => done(null, { connection, secured: to.tls }),
        (e: Error) => done(e),
      );
    },
  } as never);
  try {
    await transport.sendMail({ from: m.from, to: m.to, ...mailOf(acts, ctx.config.publicUrl) });
  } catch (e) {
    throw e instanceof ProtocolError ? e : new ProtocolError('answer', `${to.host}:${to.port}`, (e as Error).message);
  } finally {
    transport.close();
  }
}

/** A line an act. Over TCP and TLS they count as told when the other side has taken and closed; over UDP nobody answers. */
async function syslog(ctx: Context, n: Notice, acts: readonly Act[]): Promise<void> {
  if (!n.syslog) return;
  const to = target(n);
  const lines = acts.map((a) => syslogLine(a, new URL(ctx.config.publicUrl).hostname));
  if (n.syslog.over === 'udp') {
    const at = await ctx.dialer.locate(to);
    const socket = createSocket(at.host.includes(':') ? 'udp6' : 'udp4');
    try {
      for (const line of lines)
        await new Promise<void>((done, fail) =>
          socket.send(Buffer.from(line).subarray(0, 2048), at.port, at.host, (e) => (e ? fail(e) : done())),
        );
    } finally {
      socket.close();
    }
    return;
  }
  const socket = await ctx.dialer.connect(to);
  const closed = once(socket, 'close');
  socket.setTimeout(patience, () =>
    socket.destroy(new ProtocolError('silent', `${to.host}:${to.port}`, 'it does not take what it is sent')),
  );
  socket.resume();
  socket.end(lines.map(framed).join(''));
  await closed.catch((e: Error) => {
    throw ProtocolError.from(e, `${to.host}:${to.port}`);
  });
}

/** Tells somebody of acts, in their order. @throws ProtocolError, Refusal when they could not be told */
export const send: Send = async (ctx, n, acts) => {
  await webhook(ctx, n, acts);
  await mail(ctx, n, acts);
  await syslog(ctx, n, acts);
};
