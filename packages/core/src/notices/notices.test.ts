import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Act, framed, mailOf, Notice, pageOf, syslogLine, wants, wayOf } from './index.ts';

const act = (more: Partial<Act> = {}): Act => ({
  id: 7,
  at: '2026-11-30T01:02:03.456Z',
  who: 'Praesidor',
  act: 'a step failed',
  subject: 'plover',
  detail: { number: 3, step: 'lr-04 images', why: 'lr-04 cannot pull "core/etcd:1.34.2"' },
  about: 'failed',
  site: 'lr',
  ...more,
});
const ca = '-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n';
const hook = { name: 'hook', about: ['failed'], webhook: { url: 'https://hook.example/x', ca } };

describe('who is told', () => {
  it.each<[string, Parameters<typeof wants>[0], Partial<Act>, boolean]>([
    ['what it is about', { about: ['failed', 'drift'] }, {}, true],
    ['not of anything else', { about: ['ended'] }, {}, false],
    ['of every act on record', { about: ['record'] }, { about: undefined }, true],
    ['of its sites alone', { about: ['record'], sites: ['bw'] }, {}, false],
    ['of its sites', { about: ['failed'], sites: ['bw', 'lr'] }, {}, true],
    ['not of what belongs to no site, where sites are named', { about: ['record'], sites: ['lr'] }, { site: undefined }, false],
  ])('%s', (_, n, more, told) => {
    expect(wants(n, act(more))).toBe(told);
  });
  it('by one way, and no secret goes in the clear', () => {
    const mail = { server: 'mail.example:25', security: 'none', from: 'a@b.example', to: ['c@d.example'] };
    const faults = (n: object) => Notice.safeParse(n).error?.issues.map((i) => i.message) ?? [];
    expect(faults(hook)).toEqual([]);
    expect(faults({ ...hook, mail })).toEqual(['it goes one way: webhook, mail or syslog']);
    expect(faults({ name: 'x', about: ['failed'] })).toEqual(['it goes one way: webhook, mail or syslog']);
    expect(faults({ name: 'x', about: ['failed'], mail: { ...mail, credential: 'smtp' } })).toEqual([
      'a password is not sent in the clear',
    ]);
    expect(faults({ ...hook, webhook: { url: 'http://hook.example/', credential: 'k' } })).toEqual([
      'a token is not sent in the clear',
    ]);
    expect(faults({ ...hook, webhook: { url: 'ftp://hook.example/' } })).toHaveLength(1);
    // Over TLS it is said whom to trust.
    const authority = ['the authority that its certificate is checked against'];
    expect(faults({ ...hook, webhook: { url: 'https://hook.example/' } })).toEqual(authority);
    expect(faults({ name: 'x', about: ['failed'], syslog: { server: 'logs.example', over: 'tls' } })).toEqual(authority);
    expect(faults({ name: 'x', about: ['failed'], mail: { ...mail, security: 'starttls' } })).toEqual(authority);
  });
});

it.each<[object, string, number, boolean]>([
  [{ webhook: { url: 'https://hook.example/x' } }, 'hook.example', 443, true],
  [{ webhook: { url: 'http://[fd00::7]:8080/' } }, 'fd00::7', 8080, false],
  [{ mail: { server: 'mail.example', security: 'starttls' } }, 'mail.example', 587, false],
  [{ mail: { server: 'mail.example:2525', security: 'tls' } }, 'mail.example', 2525, true],
  [{ mail: { server: 'mail.example', security: 'none' } }, 'mail.example', 25, false],
  [{ syslog: { server: '[fd00::9]', over: 'tls' } }, 'fd00::9', 6514, true],
  [{ syslog: { server: '10.62.8.60', over: 'udp' } }, '10.62.8.60', 514, false],
])('where %j goes: the usual port where none is named', (n, host, port, tls) => {
  expect(wayOf(n as Notice)).toMatchObject({ host, port, tls });
});

describe('a line of syslog', () => {
  it('is what RFC 5424 says: priority, version, time, host, program, kind, data, text', () => {
    // Facility 13 × 8 + severity 3 = 107.
    expect(syslogLine(act(), 'praesidor.lr.example')).toBe(
      '<107>1 2026-11-30T01:02:03.456Z praesidor.lr.example praesidor - failed ' +
        '[act@32473 id="7" who="Praesidor" act="a step failed" subject="plover" site="lr"] ' +
        '\ufeffplover: a step failed; number: 3; step: lr-04 images; why: lr-04 cannot pull "core/etcd:1.34.2"',
    );
    expect(syslogLine(act({ about: undefined }), 'x')).toMatch(/^<110>1 .* - record \[/);
  });
  it('cannot be broken by what it tells, and says its length in octets', () => {
    /** As a reader takes it apart (6): escapes in values, and nothing else ends the data. */
    const reads =
      /^<(\d{1,3})>1 (\S+) (\S{1,255}) praesidor - (\S{1,32}) \[act@32473((?: [a-z]+="(?:[^"\\\]]|\\["\\\]])*")+)\] \ufeff/;
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), fc.string({ unit: 'binary' }), (who, subject) => {
        const line = syslogLine(act({ who, subject, detail: { why: who } }), 'h');
        expect(line).toMatch(reads);
        expect(line).not.toMatch(/[\r\n]/);
        const [, length = '', rest = ''] = /^(\d+) ([\s\S]*)$/.exec(framed(line)) ?? [];
        expect([Number(length), rest]).toEqual([Buffer.byteLength(line), line]);
      }),
    );
    expect(syslogLine(act({ subject: 'a"b]c\\d' }), 'h')).toContain('subject="a\\"b\\]c\\\\d"');
  });
});

describe('a mail', () => {
  it('is about several acts, with where each is looked at', () => {
    const m = mailOf([act(), act({ id: 8, act: 'built and proved', about: 'ended', detail: { nodes: 6 } })], 'https://p.example');
    expect(m.subject).toBe('plover: a step failed, and 1 more');
    expect(m.text).toContain('  why: lr-04 cannot pull "core/etcd:1.34.2"\n  https://p.example/builds/plover/3\n\n');
    expect(m.text).toContain('plover: built and proved\n  by: Praesidor\n  nodes: 6\n');
  });
  it('leads to the proposal, or to all that waits for a second person', () => {
    expect(pageOf(act({ about: 'approval', detail: { proposal: 4 } }))).toBe('/proposals/4');
    expect(pageOf(act({ about: 'approval', detail: { title: 'Build plover', number: 2 } }))).toBe('/proposals');
  });
  it('leads to the proof for what is not as it was proved', () => {
    expect(pageOf(act({ about: 'drift', detail: { what: 'nodes ready' } }))).toBe('/clusters/plover?tab=proof');
    expect(pageOf(act({ about: undefined, detail: {} }))).toBeUndefined();
  });
});
