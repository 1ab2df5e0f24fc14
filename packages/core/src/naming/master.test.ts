import { textOf } from './record-types.ts';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { kinds, type Zone } from '../model/index.ts';
import {
  addressesOf,
  delegation,
  isV4,
  lintPairs,
  lintZone,
  nextSerial,
  pointerName,
  readMaster,
  reverseName,
  reverseZones,
  serialAfter,
  zoneFile,
  zoneHolds,
} from './index.ts';
import { parsePrefix, splitPrefix } from '../address/index.ts';

const z = 'lr.example';
const read = (text: string) => readMaster(text, z);
const rows = (text: string) => read(text).records.map((r) => `${r.name} ${r.ttl} ${r.type} ${r.value}`);
const faults = (text: string) => read(text).problems.map((p) => [p.line, p.column, p.code]);
const head = '@ SOA ns1 hostmaster 1 2 3 4 5\n@ NS ns1\nns1 A 10.0.0.1\n';
const zone = kinds.Zone.parse({
  kind: 'Zone',
  name: z,
  site: 'lr',
  primary: '10.0.0.1',
  servers: ['ns1.lr.example'],
  contact: 'hostmaster.lr.example',
  key: 'k',
}) as Zone;

describe('reading a master file', () => {
  it('reads what RFC 1035 writes: origin, times, omitted owners and classes, parentheses, comments, quotes', () => {
    expect(
      rows(`$TTL 1h ; an hour
@ IN SOA ns1 hostmaster.example. (
      2026112301 ; serial
      3600 900 2w 5m )
        NS  ns1
ns1 300 IN A 10.0.0.1
    IN 600 AAAA FD00::1
$ORIGIN dock.lr.example.
crane A 10.0.0.2
      TXT "a ; b" c "\\"d\\"" ; said
$TTL 60
mail MX 10 crane
_x._tcp SRV 0 5 443 @
old CNAME crane.lr.example.
`),
    ).toEqual([
      'lr.example 3600 SOA ns1.lr.example hostmaster.example 2026112301 3600 900 1209600 300',
      'lr.example 3600 NS ns1.lr.example',
      'ns1.lr.example 300 A 10.0.0.1',
      'ns1.lr.example 600 AAAA fd00::1',
      'crane.dock.lr.example 3600 A 10.0.0.2',
      'crane.dock.lr.example 3600 TXT "a ; b" "c" "\\"d\\""',
      'mail.dock.lr.example 60 MX 10 crane.dock.lr.example',
      '_x._tcp.dock.lr.example 60 SRV 0 5 443 dock.lr.example',
      'old.dock.lr.example 60 CNAME crane.lr.example',
    ]);
  });
  it.each([
    ['a A 10.0.0\n', [[1, 5, 'address']]],
    ['a A 10.0.0.1 10.0.0.2\n', [[1, 14, 'value']]],
    ['a AAAA 10.0.0.1\n', [[1, 8, 'address']]],
    ['$INCLUDE /etc/passwd\nb A 10.0.0.1\n', [[1, 1, 'include']]],
    ['  A 10.0.0.1\n', [[1, 3, 'name']]],
    ['a CH TXT x\n', [[1, 3, 'class']]],
    ['a 10 WHAT x\n', [[1, 6, 'type']]],
    ['a TXT "open\nb A 10.0.0.1\n', [[1, 7, 'syntax']]],
    ['a SOA ns1 hm ( 1 2 3\n4 5\n', [[1, 1, 'syntax']]],
    ['a ) A 10.0.0.1\n', [[1, 3, 'syntax']]],
    ['a..b A 10.0.0.1\n', [[1, 1, 'name']]],
    [`${'a'.repeat(64)} A 10.0.0.1\n`, [[1, 1, 'name']]],
    ['a SRV 0 0 99999 b\n', [[1, 11, 'value']]],
    ['a 99999999999 A 10.0.0.1\n', [[1, 3, 'type']]],
    ['$TTL soon\n', [[1, 6, 'ttl']]],
    ['$GENERATE 1-9 a$ A 10.0.0.$\n', [[1, 1, 'directive']]],
    ['a SOA ns1 hm 1 2 (\n 3 4\n x )\n', [[3, 2, 'value']]],
  ])('%j: says where it is wrong', (text, want) => {
    expect(faults(text)).toEqual(want);
  });
  it('leaves out only the line that is wrong', () => {
    expect(rows('a A 10.0.0.1\nb A 10.0.0.300\nc A 10.0.0.3\n')).toEqual([
      'a.lr.example 3600 A 10.0.0.1',
      'c.lr.example 3600 A 10.0.0.3',
    ]);
  });
  it('knows four octets from everything else', () => {
    for (const good of ['0.0.0.0', '10.62.8.1', '255.255.255.255']) expect(isV4(good)).toBe(true);
    for (const bad of ['', '1.2.3', '1.2.3.4.5', '01.2.3.4', '1.2.3.256', '1..2.3', '.1.2.3', '1.2.3.', 'a.b.c.d'])
      expect(isV4(bad)).toBe(false);
  });
  it('reads again what it wrote, whatever texts are in it', () => {
    const label = fc.stringMatching(/^[a-z0-9]([a-z0-9-]{0,10}[a-z0-9])?$/);
    const record = fc.oneof(
      fc.tuple(label, fc.ipV4()).map(([n, v]) => ({ name: `${n}.${z}`, type: 'A', value: v })),
      fc.tuple(label, label).map(([n, v]) => ({ name: `${n}.${z}`, type: 'CNAME', value: `${v}.${z}` })),
      fc
        .tuple(label, fc.string({ unit: 'grapheme', maxLength: 400 }))
        .map(([n, v]) => ({ name: `${n}.${z}`, type: 'TXT', value: textOf([new TextEncoder().encode(v)]) })),
      // Several strings of any bytes: their bounds are kept.
      fc
        .tuple(label, fc.array(fc.uint8Array({ maxLength: 255 }), { minLength: 1, maxLength: 3 }))
        .map(([n, v]) => ({ name: `${n}.${z}`, type: 'TXT', value: textOf(v) })),
      fc
        .tuple(label, fc.integer({ min: 0, max: 65535 }), label)
        .map(([n, p, v]) => ({ name: `${n}.${z}`, type: 'SRV', value: `${p} 1 80 ${v}.${z}` })),
      fc
        .tuple(label, fc.integer({ min: 0, max: 65535 }), label)
        .map(([n, p, v]) => ({ name: `${n}.${z}`, type: 'MX', value: `${p} ${v}.${z}` })),
    );
    fc.assert(
      fc.property(fc.array(record, { maxLength: 8 }), fc.integer({ min: 0, max: 4294967295 }), (list, serial) => {
        const records = list.map((r) => ({ ...r, ttl: 60 }));
        const back = read(zoneFile(zone, serial, records));
        expect(back.problems).toEqual([]);
        expect(back.records.slice(1).map(({ line: _, ...r }) => r)).toEqual(records);
        expect(back.records[0]?.value.split(' ')[2]).toBe(String(serial));
      }),
    );
  });
});

describe('hostile files', () => {
  it('end in records and problems with their places, never in a crash', () => {
    const piece = fc.oneof(
      fc.constantFrom(
        '(',
        ')',
        '"',
        '\\',
        ';',
        '\n',
        '\t',
        ' ',
        '@',
        '$TTL',
        '$ORIGIN',
        '$INCLUDE',
        'IN',
        'A',
        'TXT',
        'SOA',
        '10.0.0.1',
        '\\999',
        '\\',
        '\u0000',
        '\r\n',
      ),
      fc.string({ maxLength: 12 }),
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 60 }), (pieces) => {
        const text = pieces.join('');
        const { records, problems, problemCount } = read(text);
        const lines = text.split('\n');
        expect(problemCount).toBeGreaterThanOrEqual(problems.length);
        for (const p of problems) {
          expect(p.line >= 1 && p.line <= lines.length && p.column >= 1 && p.column <= (lines[p.line - 1]?.length ?? 0) + 1).toBe(
            true,
          );
          expect(p.message.length).toBeLessThan(5000);
        }
        lintZone(z, records);
      }),
      { numRuns: 500 },
    );
  });
  it('do not lose count of their lines where a backslash ends one', () => {
    const places = (text: string) => read(text).problems.map((p) => [p.line, p.column]);
    // An escaped backslash alone is a name; a backslash before the end of a line escapes nothing, quoted or not.
    expect(places('\\\\\n\n !')).toEqual([
      [1, 1],
      [3, 2],
    ]);
    expect(places('a\\\n\n !')).toEqual([
      [1, 1],
      [3, 2],
    ]);
    expect(places('a TXT "b\\\n" !')[0]?.[0]).toBe(1);
  });
  it.each([
    ['a line of 10 MB', `a A ${'9'.repeat(10_000_000)}\nb A 10.0.0.1\n`],
    ['10 MB of one text', `a TXT "${'x'.repeat(10_000_000)}"\nb A 10.0.0.1\n`],
    ['a million parentheses', `a SOA ${'('.repeat(1_000_000)}`],
    ['a million quotation marks', `${'a TXT "\n'.repeat(200_000)}b A 10.0.0.1\n`],
    ['a million origins', `${'$ORIGIN a\n'.repeat(100_000)}b A 10.0.0.1\n`],
  ])('%s is read within seconds, and said', (_, text) => {
    const began = process.cpuUsage();
    const { problemCount } = read(text);
    expect(problemCount).toBeGreaterThan(0);
    // Of a processor: how long it takes by the clock depends on what else runs.
    expect(process.cpuUsage(began).user / 1e6).toBeLessThan(8);
  });
});

describe('judging a zone', () => {
  const lint = (text: string, before?: number) => {
    const { records, problems } = read(head + text);
    expect(problems).toEqual([]);
    return lintZone(z, records, before).problems;
  };
  const says = (text: string, before?: number) => lint(text, before).map((p) => [p.code, p.severity]);
  it('finds nothing in a good one', () => {
    expect(lint('www A 10.0.0.2\nweb CNAME www\n* A 10.0.0.9\nmail MX 5 any\n')).toEqual([
      expect.objectContaining({ code: 'wildcard' }),
    ]);
    expect(lint('www A 10.0.0.2\nweb CNAME www\nmail MX 5 www\n')).toEqual([]);
  });
  it.each([
    ['web CNAME ns1\nweb A 10.0.0.2\n', [['cname', 'stop']]],
    ['web CNAME ns1\nweb CNAME www\nwww A 10.0.0.2\n', [['cname', 'stop']]],
    ['web CNAME gone\n', [['dangling', 'mind']]],
    ['sub NS ns.sub\n', [['dangling', 'stop']]],
    ['_s._tcp SRV 0 0 80 gone\n', [['dangling', 'mind']]],
    ['*.in A 10.0.0.3\nshop.in A 10.0.0.4\n', [['wildcard', 'note']]],
    ['*.in A 10.0.0.3\nweb CNAME any.in\n', []],
    ['a 60 A 10.0.0.5\na 90 A 10.0.0.6\n', [['ttl', 'mind']]],
    ['a A 10.0.0.5\na A 10.0.0.5\n', [['twice', 'note']]],
    ['other.example. A 10.0.0.5\n', [['outside', 'stop']]],
    [
      '@ SOA ns1 hostmaster 1 2 3 4 5\n',
      [
        ['twice', 'note'],
        ['soa', 'stop'],
      ],
    ],
    ['p PTR a.example.\np PTR b.example.\n', [['pair', 'mind']]],
    [`${Array.from({ length: 30 }, (_, k) => `h${k} A 10.0.1.${k}\n`).join('')}slow 2000000 A 10.0.0.7\n`, [['ttl', 'note']]],
  ])('%j', (text, want) => {
    expect(says(text)).toEqual(want);
  });
  it('says when there is no SOA, no NS, and when the serial goes back', () => {
    expect(lintZone(z, read('a A 10.0.0.1\n').records).problems.map((p) => p.code)).toEqual(['soa', 'ns']);
    expect(says('', 2)).toEqual([['serial', 'stop']]);
    expect(says('', 0)).toEqual([]);
  });
  it('holds forward and reverse of several zones against each other', () => {
    const forward = read('a A 10.0.0.1\nb A 10.0.0.2\nc A 10.9.0.1\n*.in A 10.0.0.3\n').records;
    const back = readMaster('1 PTR a.lr.example.\n2 PTR other.lr.example.\n7 PTR a.lr.example.\n', '0.0.10.in-addr.arpa').records;
    const found = lintPairs(
      [
        { name: z, records: forward },
        { name: '0.0.10.in-addr.arpa', records: back },
      ],
      reverseName,
    );
    expect(found.map((p) => `${p.zone}: ${p.message}`)).toEqual([
      'lr.example: 10.0.0.2 answers other.lr.example and not b.lr.example',
      '0.0.10.in-addr.arpa: 2.0.0.10.in-addr.arpa answers other.lr.example, which does not lead back to it',
      '0.0.10.in-addr.arpa: 7.0.0.10.in-addr.arpa answers a.lr.example, which does not lead back to it',
    ]);
  });
});

describe('serials', () => {
  it('come after one another around the circle (RFC 1982)', () => {
    expect([serialAfter(2, 1), serialAfter(1, 2), serialAfter(1, 4294967295), serialAfter(1, 1)]).toEqual([
      true,
      false,
      true,
      false,
    ]);
  });
  it('are today’s date, or the next number when that would go back', () => {
    expect(nextSerial(2026010100, '2026-11-23T10:00:00Z')).toBe(2026112300);
    expect(nextSerial(2026112300, '2026-11-23T10:00:00Z')).toBe(2026112301);
    expect(nextSerial(4294967295, '2026-11-23T10:00:00Z')).toBe(2026112300);
  });
});

describe('reverse zones of any length', () => {
  const names = (text: string) => reverseZones(parsePrefix(text)).map((x) => x.name);
  it.each([
    ['10.0.0.0/8', ['10.in-addr.arpa']],
    ['10.62.8.0/24', ['8.62.10.in-addr.arpa']],
    ['10.62.8.0/22', ['8.62.10.in-addr.arpa', '9.62.10.in-addr.arpa', '10.62.10.in-addr.arpa', '11.62.10.in-addr.arpa']],
    ['10.62.8.0/25', ['0-127.8.62.10.in-addr.arpa']],
    ['10.62.8.64/28', ['64-79.8.62.10.in-addr.arpa']],
    ['fd00:62::/48', ['0.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa']],
    ['fd00:62::/47', ['0.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa', '1.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa']],
  ])('%s', (prefix, want) => {
    expect(names(prefix)).toEqual(want);
  });
  it('of any prefix hold the reverse names of its first and last address, and know their addresses', () => {
    fc.assert(
      fc.property(fc.bigInt({ min: 0n, max: (1n << 32n) - 1n }), fc.integer({ min: 4, max: 32 }), (n, length) => {
        const host = BigInt(32 - length);
        const p = { v: 4 as const, n: (n >> host) << host, length };
        const zones = reverseZones(p);
        for (const a of [p.n, p.n + (1n << host) - 1n]) {
          const text = [24n, 16n, 8n, 0n].map((s) => (a >> s) & 255n).join('.');
          const name = pointerName(text, zones);
          expect(zones.filter((x) => name.endsWith(`.${x.name}`) || name === x.name)).toHaveLength(1);
          expect(zones.filter((x) => zoneHolds(x.name, text))).toHaveLength(1);
        }
      }),
    );
    expect(addressesOf('0-127.8.62.10.in-addr.arpa')).toBe('10.62.8.0-10.62.8.127');
    expect(addressesOf('lr.example')).toBeUndefined();
  });
  it('hand over a zone below a /24 without classes (RFC 2317)', () => {
    const [half] = reverseZones(parsePrefix('10.62.8.126/31'));
    expect(delegation(half as never, ['ns1.lr.example'])).toEqual([
      { name: '126-127.8.62.10.in-addr.arpa', type: 'NS', value: 'ns1.lr.example' },
      { name: '126.8.62.10.in-addr.arpa', type: 'CNAME', value: '126.126-127.8.62.10.in-addr.arpa' },
      { name: '127.8.62.10.in-addr.arpa', type: 'CNAME', value: '127.126-127.8.62.10.in-addr.arpa' },
    ]);
    expect(splitPrefix(parsePrefix('10.62.8.0/24'), 25)).toHaveLength(2);
  });
});
