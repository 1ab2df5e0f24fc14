import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { kinds, type Zone } from '../src/model/index.ts';
import { lintZone, plannable, plannedValue, readMaster, recordTypes, writeData, zoneFile } from '../src/naming/index.ts';
import { decodeData, encodeData } from '../../protocols/src/dns/data.ts';

/** One good value a type and more for those with corners, and what is no such data. */
const good: Record<string, string[]> = {
  A: ['10.62.8.20', '0.0.0.0', '255.255.255.255'],
  AAAA: ['fd00::1', '::', 'fd00:62:8::2:1'],
  NS: ['ns1.lr.example'],
  CNAME: ['a.s.example', 'x\\.y.example'],
  PTR: ['lr-06.lr.example'],
  DNAME: ['other.example'],
  MX: ['10 mail.lr.example', '0 .'],
  SRV: ['10 5 6443 kube.lr.example', '0 0 0 .'],
  TXT: ['v=spf1 -all', 'a ; b "c"', '"one" "two"', '"\\000\\255"', '"\\"quoted\\""', `"${'x'.repeat(255)}" "y"`, 'ünï'],
  SPF: ['v=spf1 -all'],
  SOA: ['ns1.lr.example hostmaster.lr.example 2026112301 3600 900 1209600 300'],
  HINFO: ['"X86-64" "LINUX"', '"" "with blank"'],
  RP: ['hostmaster.lr.example text.lr.example', '. .'],
  CAA: ['0 issue "ca.example"', '128 iodef "mailto:a@b.example"', '0 issue ";"', '0 issue "ca.example; policy=\\"x\\""'],
  TLSA: ['3 1 1 ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789'],
  SSHFP: ['4 2 ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789'],
  NAPTR: ['100 10 "U" "E2U+sip" "!^.*$!sip:info@example.com!" .', '100 50 "s" "http+N2L+N2C" "" www.lr.example'],
  LOC: ['51 30 12.748 N 0 7 39.612 W 0.00m 0.00m 0.00m 0.00m', '90 0 0.000 S 180 0 0.000 E -100.00m 1.00m 10000.00m 10.00m'],
  DS: ['12345 13 2 ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789ABCDEF0123456789'],
  DNSKEY: ['257 3 13 mdsswUyr3DPW132mOi8V9xESWE8jTo0dxCjjnopKl+GqJxpVXckHAeF+KkxLbxILfDLUT0rAK9iUzy1L53eKGQ=='],
  SVCB: [
    '0 target.example',
    '1 . port=8443',
    '16 foo.lr.example mandatory=alpn,ipv4hint alpn=h2,h3 ipv4hint=10.0.0.1,10.0.0.2 ipv6hint=fd00::1',
  ],
  HTTPS: ['1 . alpn=h2', '0 www.lr.example'],
};
const bad: [string, string][] = [
  ['A', '10.62.8.300'],
  ['A', '10.0.0.01'],
  ['A', 'fd00::1'],
  ['AAAA', '10.0.0.1'],
  ['AAAA', 'fd00::1%eth0'],
  ['MX', 'mail'],
  ['MX', 'mail 10'],
  ['MX', '70000 mail.lr.example'],
  ['SRV', 'x'],
  ['SRV', '0 0 65536 a.example'],
  ['CNAME', 'a..b'],
  ['CNAME', 'a..'],
  ['CNAME', 'a.example b.example'],
  ['CAA', '256 issue "x"'],
  ['CAA', '0 is_sue "x"'],
  ['TLSA', '3 1 1 XYZ'],
  ['TLSA', '3 1 1 ABC'],
  ['HINFO', '"only one"'],
  ['NAPTR', '1 2 "U" "x" .'],
  ['SVCB', '1 . port=99999'],
  ['SVCB', '1 . alpn='],
  ['SVCB', '1 . mandatory=port'],
  ['SVCB', '1 . port=1 port=2'],
  ['HTTPS', '1 . ipv4hint=fd00::1'],
  ['LOC', '91 N 0 E 0m'],
  ['LOC', '10 61 N 0 E 0m'],
  ['SSHFP', '4 2'],
  ['TXT', '"open'],
  ['DS', '1 2 3'],
  ['RP', 'one.example'],
];
const types = Object.keys(recordTypes);

describe('the table of record types', () => {
  it('has an example of each, and each comes back as it is kept', () => {
    expect(Object.keys(good).sort()).toEqual([...types].sort());
    for (const type of types)
      for (const value of good[type] as string[])
        expect([type, plannedValue(type, value, 'lr.example')]).toEqual([type, { value }]);
  });
  it.each(types)('%s goes to a master file and back, and over the wire and back', (type) => {
    for (const value of good[type] as string[]) {
      const { records, problems } = readMaster(`x.lr.example. 60 IN ${type} ${writeData(type, value)}\n`, 'lr.example');
      expect([problems, records[0]?.value]).toEqual([[], value]);
      const bytes = encodeData(type, value);
      expect(decodeData(type, bytes, 0, bytes.length)).toBe(value);
    }
  });
  it.each(bad)('%s %s is not taken, with a reason', (type, value) => {
    const read = plannedValue(type, value, 'lr.example');
    expect('fault' in read && read.fault.length > 10).toBe(true);
    if ((plannable as string[]).includes(type))
      expect(kinds.Record.safeParse({ kind: 'Record', zone: 'lr.example', name: 'x', type, value }).success).toBe(false);
  });
  it.each([
    ['CNAME', 'a.s.example.', 'a.s.example'],
    ['CNAME', 'a', 'a.lr.example'],
    ['CNAME', '@', 'lr.example'],
    ['MX', '10 mail', '10 mail.lr.example'],
    ['NS', 'NS1.LR.example', 'ns1.lr.example'],
    ['CNAME', '\\097.example', 'a.example'],
    ['CAA', '0 ISSUE ca.example', '0 issue "ca.example"'],
    ['TLSA', '3 1 1 abcd ef01', '3 1 1 ABCDEF01'],
  ])('%s %s is kept as %s', (type, value, kept) => {
    expect(plannedValue(type, value, 'lr.example')).toEqual({ value: kept });
    expect(kinds.Record.parse({ kind: 'Record', zone: 'lr.example', name: 'x', type, value }).value).toBe(kept);
  });
  it.each([
    ['NS', '*.deck', 'ns1.lr.example'],
    ['DS', '@', '1 13 2 AB'],
    ['CNAME', '@', 'a.example'],
  ])('%s at %s is refused', (type, name, value) => {
    expect(kinds.Record.safeParse({ kind: 'Record', zone: 'lr.example', name, type, value }).success).toBe(false);
  });
  it('whatever is typed for a value is one record in the file, or is refused', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...plannable),
        fc.oneof(
          fc.string({ unit: 'binary', maxLength: 60 }),
          fc.stringMatching(/^[ -~]{0,40}$/),
          fc.constantFrom('a\nb A 6.6.6.6', '$INCLUDE /etc/passwd', '( ', ') ', '"', '\\', '; x'),
        ),
        (type, value) => {
          const doc = kinds.Record.safeParse({ kind: 'Record', zone: 'lr.example', name: 'x', type, value });
          if (!doc.success) return;
          const { records, problems } = readMaster(
            `x.lr.example. 60 IN ${type} ${writeData(type, doc.data.value)}\n`,
            'lr.example',
          );
          expect([problems, records.map((r) => [r.name, r.type, r.value])]).toEqual([
            [],
            [['x.lr.example', type, doc.data.value]],
          ]);
        },
      ),
      { numRuns: 3000 },
    );
  });
  it('hostile bytes are told, and never read beyond their record', () => {
    fc.assert(
      fc.property(fc.constantFrom(...types), fc.uint8Array({ maxLength: 60 }), (type, bytes) => {
        const b = Buffer.concat([Buffer.from(bytes), Buffer.alloc(20, 7)]);
        try {
          const value = decodeData(type, b, 0, bytes.length) as string;
          expect(typeof value).toBe('string');
        } catch (e) {
          expect((e as Error).name).toBe('WireError');
        }
      }),
      { numRuns: 3000 },
    );
  });
});

const rrchecker = ['/usr/bin/named-rrchecker'].find(existsSync);
const compilezone = ['/usr/bin/named-compilezone', '/usr/sbin/named-compilezone'].find(existsSync);
let dir = '';
beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'records-'));
});
afterAll(() => rmSync(dir, { recursive: true, force: true }));

describe.runIf(rrchecker && compilezone)('judged by programs that are not ours', () => {
  it.each(types)('%s: named-rrchecker takes what we write, and reads the same', (type) => {
    for (const value of good[type] as string[]) {
      const written = writeData(type, value);
      const r = spawnSync(rrchecker as string, ['-p'], { input: `IN ${type} ${written}\n`, encoding: 'utf8' });
      expect([type, written, r.status, r.stderr]).toEqual([type, written, 0, '']);
      const theirs = r.stdout.trim().replace(/^IN\s+\S+\s+/, '');
      const { records } = readMaster(`x. 60 IN ${type} ${theirs}\n`, 'lr.example');
      expect([type, records[0]?.value]).toEqual([type, value]);
    }
  });
  it('what we refuse, named-rrchecker refuses', () => {
    // An interface in an address, and a tag with other characters than letters and digits, are ours alone to refuse.
    for (const [type, value] of bad.filter(([, v]) => !v.includes('%') && !v.includes('is_sue') && v !== '3 1 1 ABC')) {
      const written = /^(CNAME|MX|SRV|NAPTR|RP)$/.test(type) ? value.replace(/(example)(?=\s|$)/g, '$1.') : value;
      const r = spawnSync(rrchecker as string, ['-p'], { input: `IN ${type} ${written}\n`, encoding: 'utf8' });
      if (type === 'MX' && value === 'mail') expect(r.status).not.toBe(0);
      expect([type, value, r.status !== 0 || /^(LOC 10 61|SVCB 1 \. mandatory)/.test(`${type} ${value}`)]).toEqual([
        type,
        value,
        true,
      ]);
    }
  });
  it('a zone of all of them compiles, and comes out with the same records', () => {
    const zone = {
      apiVersion: 'praesidor/v1',
      kind: 'Zone',
      name: 'lr.example',
      site: 'lr',
      primary: '10.0.0.1',
      servers: ['ns1.lr.example'],
      contact: 'hostmaster.lr.example',
      key: 'k',
      ttl: 3600,
    } as Zone;
    const records = plannable.flatMap((type) =>
      (good[type] as string[]).map((value, i) => ({ name: `${type.toLowerCase()}-${i}.lr.example`, type, ttl: 60, value })),
    );
    const all = [
      { name: 'lr.example', type: 'NS', ttl: 3600, value: 'ns1.lr.example' },
      { name: 'ns1.lr.example', type: 'A', ttl: 60, value: '10.0.0.1' },
      ...records.filter((r) => r.type !== 'DS'),
    ];
    writeFileSync(join(dir, 'zone'), zoneFile(zone, 7, all));
    const r = spawnSync(
      compilezone as string,
      ['-k', 'ignore', '-n', 'ignore', '-i', 'none', '-r', 'ignore', '-o', join(dir, 'out'), 'lr.example', join(dir, 'zone')],
      { encoding: 'utf8' },
    );
    expect([r.status, r.status ? r.stdout + r.stderr : '']).toEqual([0, '']);
    const theirs = readMaster(readFileSync(join(dir, 'out'), 'utf8'), 'lr.example');
    const shown = (list: { name: string; type: string; value: string }[]) =>
      list
        .filter((x) => x.type !== 'SOA')
        .map((x) => `${x.name} ${x.type} ${x.value}`)
        .sort();
    expect(theirs.problems).toEqual([]);
    expect(shown(theirs.records)).toEqual(shown(all));
  });
});

describe('zone cuts', () => {
  const lint = (text: string) => {
    const { records, problems } = readMaster(`$TTL 60\n@ SOA ns1 h 1 1 1 1 1\n@ NS ns1\nns1 A 10.0.0.1\n${text}`, 'lr.example');
    return [...problems, ...lintZone('lr.example', records).problems].map((p) => p.message);
  };
  it('what lies below a delegation is the child’s to have', () => {
    expect(lint('child NS ns.other.example.\nwww CNAME host.child\n')).toEqual([]);
    expect(lint('child NS ns.child\nns.child A 10.0.0.9\n')).toEqual([]);
  });
  it('a server below its own delegation needs its address here', () => {
    expect(lint('child NS ns.child\n')).toEqual(['child.lr.example NS points at ns.child.lr.example, which is not there']);
  });
  it('a classless delegation (RFC 2317) has nothing wrong with it', () => {
    const { records } = readMaster(
      '$TTL 60\n@ SOA ns1.lr.example. h 1 1 1 1 1\n@ NS ns1.lr.example.\n0/25 NS ns1.lr.example.\n7 CNAME 7.0/25\n',
      '8.62.10.in-addr.arpa',
    );
    expect(lintZone('8.62.10.in-addr.arpa', records).problems).toEqual([]);
  });
  it('DS at the top and a wildcard NS are refused', () => {
    expect(lint('@ DS 1 13 2 AB\n')).toEqual([expect.stringContaining('belongs into the zone above')]);
    expect(lint('*.x NS ns1\n')).toEqual([expect.stringContaining('delegates with a wildcard')]);
  });
});

describe('times', () => {
  it('without $TTL the last one that was stated counts, and before any the minimum of the SOA', () => {
    const { records } = readMaster('@ SOA ns1 h 1 2 3 4 300\na A 10.0.0.1\nb 77 A 10.0.0.2\nc A 10.0.0.3\n', 'lr.example');
    expect(records.map((r) => r.ttl)).toEqual([300, 300, 77, 77]);
  });
});
