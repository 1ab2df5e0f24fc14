import { createSocket, type Socket as Udp } from 'node:dgram';
import { once } from 'node:events';
import { createServer as createHttps } from 'node:https';
import { type AddressInfo, createServer as createTcp } from 'node:net';
import { parsePrefix, prefixRange } from '@praesidor/core/address';
import { SMTPServer } from 'smtp-server';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate } from '../../../packages/standins/src/certificates.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

/** Whom an installation tells of what: by webhook, mail and syslog, to programs that are not its own. */
const i = new Installation();
let c: Client;
const ca = await makeCertificate({ commonName: 'Notices', isCa: true });
const pair = await makeCertificate({ commonName: 'those who are told', addresses: ['127.0.0.1'], ca });
const closes: (() => unknown)[] = [];

interface Posted {
  acts: { id: number; act: string; subject: string; title: string; url?: string; about?: string }[];
}
const posted: { auth: string | undefined; body: Posted }[] = [];
let answerWith = 200;
const hook = createHttps({ key: pair.key, cert: pair.cert }, (req, res) => {
  let text = '';
  req.on('data', (d) => {
    text += d;
  });
  req.on('end', () => {
    posted.push({ auth: req.headers.authorization, body: JSON.parse(text) });
    res.writeHead(answerWith).end();
  });
});
const mails: { to: string[]; text: string; user: string | undefined; secure: boolean }[] = [];
const smtp = new SMTPServer({
  key: pair.key,
  cert: pair.cert,
  onAuth: ({ username, password }, _, done) =>
    password === 'harbour-7' ? done(null, { user: username }) : done(new Error('Authentication failed')),
  onData: (stream, session, done) => {
    let text = '';
    stream.on('data', (d) => {
      text += d;
    });
    stream.on('end', () => {
      mails.push({
        to: session.envelope.rcptTo.map((r) => r.address),
        text,
        user: session.user as string | undefined,
        secure: session.secure,
      });
      done();
    });
  },
});
let syslog = '';
const log = createTcp((s) => {
  s.on('data', (d) => {
    syslog += d;
  });
  s.on('end', () => s.end());
});
const datagrams: string[] = [];
let udp: Udp;
const port = (s: { address: () => unknown }) => (s.address() as AddressInfo).port;
const put = (name: string, more: object) => c.call('PUT', `/api/notices/${name}`, { name, ...more });
const state = async (name: string) =>
  (
    await c.good<{ notices: { doc: { name: string }; failing: string | null; waiting: number; toldAt: string | null }[] }>(
      'GET',
      '/api/notices',
    )
  ).notices.find((n) => n.doc.name === name);

beforeAll(async () => {
  hook.listen(0, '127.0.0.1');
  smtp.listen(0, '127.0.0.1');
  log.listen(0, '127.0.0.1');
  udp = createSocket('udp4').bind(0, '127.0.0.1');
  udp.on('message', (m) => datagrams.push(String(m)));
  await Promise.all([once(hook, 'listening'), once(smtp.server, 'listening'), once(log, 'listening'), once(udp, 'listening')]);
  closes.push(
    () => hook.close(),
    () => smtp.close(),
    () => log.close(),
    () => udp.close(),
  );
  await i.start({ timeoutSeconds: 3, settings: { alsoReach: [prefixRange(parsePrefix('127.0.0.1/32'))] } });
  c = await i.as('warden');
});
afterAll(async () => {
  await i.stop();
  for (const close of closes) close();
});

describe('who is told', () => {
  it('is said by a warden, and by nobody else', async () => {
    const body = { name: 'x', about: ['failed'], syslog: { server: '127.0.0.1:514', over: 'udp' } };
    for (const role of ['reader', 'planner', 'builder'] as const)
      expect((await (await i.as(role)).call('PUT', '/api/notices/x', body)).status, role).toBe(403);
    expect((await put('x', { about: [], syslog: body.syslog })).status).toBe(422);
    expect((await put('x', { about: ['failed'] })).body.message).toContain('it goes one way');
  });

  it('is told of a test at once, or it is said what hinders', async () => {
    await put('udp', { about: ['record'], syslog: { server: `127.0.0.1:${port(udp)}`, over: 'udp' } });
    await c.good('POST', '/api/notices/udp/test');
    await eventually(async () => datagrams.length > 0, 'a datagram');
    expect(datagrams[0]).toMatch(/^<110>1 \S+Z 127\.0\.0\.1 praesidor - record \[act@32473 id="\d+" who="warden" .*\] \ufeff/);
    await put('gone', { about: ['failed'], syslog: { server: '127.0.0.1:1', over: 'tcp' } });
    const a = await c.call('POST', '/api/notices/gone/test');
    expect([a.status, a.body.message]).toEqual([502, expect.stringContaining('127.0.0.1:1: nothing listens there')]);
    await c.good('DELETE', '/api/notices/gone');
    await c.good('DELETE', '/api/notices/udp');
    // Where nothing was declared, nothing is sent.
    expect((await c.call('POST', '/api/notices/udp/test')).status).toBe(404);
  });

  it('hears of what fails and what ends well, in order, each once; over TLS, with a token and a password of the keyring', async () => {
    for (const [name, secret] of [
      ['hook', 'tide-table-9'],
      ['post', 'harbour-7'],
    ])
      await c.good('POST', '/api/keyring', { name, use: 'other', user: name, secret, places: ['127.0.0.1', 'localhost'] });
    const heard: string[] = [];
    const off = i.running.ctx.bus.on((e) => void (e.kind === 'Notice' && heard.push(e.subject)));
    expect(
      (
        await put('hook', {
          about: ['failed', 'ended'],
          sites: ['lr'],
          webhook: { url: `https://127.0.0.1:${port(hook)}/acts`, credential: 'hook', ca: ca.cert },
        })
      ).status,
    ).toBe(200);
    const mail = { security: 'starttls', from: 'praesidor@kestrelferries.example', to: ['night@kestrelferries.example'] };
    await put('mail', {
      about: ['failed', 'ended'],
      mail: { ...mail, server: `127.0.0.1:${port(smtp.server)}`, credential: 'post', ca: ca.cert },
    });
    await put('log', { about: ['record'], syslog: { server: `127.0.0.1:${port(log)}`, over: 'tcp' } });
    // One that does not take it keeps nobody from the others, and is asked again.
    await put('silent', { about: ['record'], syslog: { server: '127.0.0.1:1', over: 'tcp' } });
    answerWith = 503;
    await prepare(c);
    const p = new Plover(i, c);
    await p.set('one worker', [['workers', 'count'], 1]);
    i.plant('node-never-boots', 'lr-05');
    await p.begin('build');
    expect((await builtOrBroken(c)).status.state).toBe('failed');
    i.lift('node-never-boots', 'lr-05');
    await eventually(async () => (await state('hook'))?.failing, 'the hook is known to fail');
    expect(await state('hook')).toMatchObject({ failing: expect.stringContaining('it answers with 503') });
    answerWith = 200;
    await c.good('POST', '/api/builds/plover/1/resume');
    await p.done(1);
    const taken = () => posted.slice(posted.findIndex((x) => x.body.acts.some((a) => a.act === 'built and proved')));
    await eventually(async () => posted.some((x) => x.body.acts.some((a) => a.act === 'built and proved')), 'it was told');
    // What was refused is told again with what came since; the failure comes first.
    const all = posted.flatMap((x) => x.body.acts);
    expect(all.map((a) => a.act)).toContain('a step failed');
    expect(all.at(-1)).toMatchObject({ act: 'built and proved', about: 'ended', subject: 'plover' });
    expect(all.at(-1)?.url).toBe(`${i.config.publicUrl}/builds/plover/1`);
    expect(new Set(taken().flatMap((x) => x.body.acts.map((a) => a.id))).size).toBe(taken().flatMap((x) => x.body.acts).length);
    expect(new Set(posted.map((x) => x.auth))).toEqual(new Set(['Bearer tide-table-9']));

    await eventually(async () => mails.some((m) => m.text.includes('built and proved')), 'the mail');
    expect(new Set(mails.map((m) => [m.to.join(), m.user, m.secure].join(' ')))).toEqual(
      new Set(['night@kestrelferries.example post true']),
    );
    expect(mails.map((m) => m.text).join('\n')).toMatch(/Subject: plover: a step failed/);

    // Every act on record, once, in the order of its number.
    await eventually(async () => syslog.includes('built and proved'), 'the log');
    const ids = [...syslog.matchAll(/\[act@32473 id="(\d+)"/g)].map((m) => Number(m[1]));
    const rows = await i.query<{ id: string }>('select id from audit where id >= $1 and id <= $2 order by id', [
      ids[0],
      ids.at(-1),
    ]);
    expect(ids).toEqual(rows.map((r) => Number(r.id)));
    expect(syslog).not.toContain('harbour-7');
    // Who looks on hears that it was set, when it begins to fail and when it is told again, and not at every try.
    expect(heard.filter((h) => h === 'silent')).toHaveLength(2);
    expect(heard.filter((h) => h === 'hook')).toHaveLength(3);
    const silent = await state('silent');
    expect(silent?.failing).toContain('nothing listens there');
    off();
    // All but what was on record when it was made.
    expect(silent?.waiting).toBeGreaterThanOrEqual(ids.length - 1);
  });

  it('and hears it after a restart too, from where it was', async () => {
    await c.good('DELETE', '/api/notices/silent');
    await eventually(async () => syslog.includes('told no longer'), 'that is told too');
    syslog = '';
    await i.restart();
    await i.query("insert into audit (who, act, subject, detail) values ('bo', 'looked out', 'the window', '{}')");
    await eventually(async () => syslog.includes('looked out'), 'what came since');
    expect(syslog).not.toContain('told no longer');
  });

  it('is not passed over while an earlier act is still under way', async () => {
    syslog = '';
    const db = i.running.ctx.db;
    const runner = db.createQueryRunner();
    await runner.startTransaction();
    await runner.query("insert into audit (who, act, subject, detail) values ('bo', 'took long', 'a slow act', '{}')");
    await i.query("insert into audit (who, act, subject, detail) values ('bo', 'was quick', 'a quick act', '{}')");
    // Another one who is told, from here on, has heard of what came after it: it was looked, and the later one waits for the earlier one, which may still come.
    const later = { about: ['record'], syslog: { server: `127.0.0.1:${port(udp)}`, over: 'udp' } };
    await put('later', later);
    datagrams.length = 0;
    await put('later', later);
    await eventually(async () => datagrams.some((d) => d.includes('subject="later"')), 'the other has heard');
    expect(syslog).not.toContain('was quick');
    await runner.commitTransaction();
    await runner.release();
    await eventually(async () => syslog.includes('was quick'), 'both');
    expect(syslog.indexOf('took long')).toBeGreaterThan(0);
    expect(syslog.indexOf('took long')).toBeLessThan(syslog.indexOf('was quick'));
  });
});
