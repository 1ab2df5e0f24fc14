import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { classCode, decode, encode, message, opcode, rr, sign } from '@praesidor/protocols/dns';
import { DnsStandin } from './dns.ts';
import { Clock, Faults, layerBytes } from './index.ts';

const key = { name: 'lr-dns', secret: Buffer.from('key') };
const zone = () => ({
  name: 'lr.example',
  serial: 7,
  soa: 'ns1.lr.example hm.lr.example SERIAL 3600 900 1209600 300',
  records: [
    { name: 'ns1.lr.example', type: 'A', ttl: 60, value: '10.0.0.53' },
    { name: '*.in.lr.example', type: 'A', ttl: 60, value: '10.0.0.9' },
  ],
});
interface Inside {
  answer: (wire: Buffer, datagram: boolean) => Buffer;
}
const ask = (d: DnsStandin, wire: Buffer) => decode((d as unknown as Inside).answer(wire, true));
const question = (name: string, type: string) => encode(message({ id: 1, questions: [{ name, type, class: classCode.IN }] }));

describe('the name server', () => {
  const d = () => new DnsStandin([zone()], [key], new Faults(), () => undefined);
  it('answers what it serves, wildcards below their owner only, and not what it does not serve', () => {
    expect(ask(d(), question('ns1.lr.example', 'A')).answers[0]?.value).toBe('10.0.0.53');
    expect(ask(d(), question('shop.in.lr.example', 'A')).answers[0]?.value).toBe('10.0.0.9');
    expect(ask(d(), question('none.lr.example', 'A')).rcode).toBe(3);
    expect(ask(d(), question('other.example', 'A')).rcode).toBe(5);
  });
  it('takes signed updates only, counts the serial, and keeps to its zone', () => {
    const dns = d();
    const seconds = Math.floor(Date.now() / 1000);
    const update = (name: string) =>
      encode(
        message({
          id: 2,
          opcode: opcode.update,
          questions: [{ name: 'lr.example', type: 'SOA', class: classCode.IN }],
          authorities: [rr(name, 'A', 60, '10.0.0.1')],
        }),
      );
    expect(ask(dns, update('x.lr.example')).rcode).toBe(9);
    expect(ask(dns, sign(update('x.lr.example'), { ...key, secret: Buffer.from('other') }, seconds).wire).rcode).toBe(9);
    expect(dns.zones[0]).toMatchObject({ serial: 7 });
    expect(ask(dns, sign(update('x.lr.example'), key, seconds).wire).rcode).toBe(0);
    expect(dns.zones[0]?.serial).toBe(8);
    expect(ask(dns, sign(update('x.elsewhere.example'), key, seconds).wire).rcode).toBe(10);
    expect(dns.zones[0]?.records.map((r) => r.name)).not.toContain('x.elsewhere.example');
  });
  it('deletes a set and one of a set (RFC 2136 §2.5)', () => {
    const dns = d();
    const seconds = Math.floor(Date.now() / 1000);
    const send = (...authorities: Parameters<typeof message>[0]['authorities'] & object) =>
      ask(
        dns,
        sign(
          encode(
            message({
              id: 3,
              opcode: opcode.update,
              questions: [{ name: 'lr.example', type: 'SOA', class: classCode.IN }],
              authorities,
            }),
          ),
          key,
          seconds,
        ).wire,
      ).rcode;
    send(rr('two.lr.example', 'A', 60, '10.0.0.1'), rr('two.lr.example', 'A', 60, '10.0.0.2'));
    send({ ...rr('two.lr.example', 'A', 0, '10.0.0.1'), class: classCode.NONE });
    expect(dns.zones[0]?.records.filter((r) => r.name === 'two.lr.example').map((r) => r.value)).toEqual(['10.0.0.2']);
    send({ name: 'two.lr.example', type: 'A', class: classCode.ANY, ttl: 0, data: Buffer.alloc(0) });
    expect(dns.zones[0]?.records.some((r) => r.name === 'two.lr.example')).toBe(false);
  });
  it('says nothing to what is no message', () => {
    expect((d() as unknown as Inside).answer(Buffer.from('nonsense'), true)).toBeUndefined();
  });
});

describe('the proving ground', () => {
  it('plants and lifts, and tells who listens', () => {
    const faults = new Faults();
    let told = 0;
    faults.onChange(() => {
      told++;
    });
    faults.plant({ kind: 'bmc-silent', subject: 'lr-04' });
    expect([faults.has('bmc-silent', 'lr-04'), faults.has('bmc-silent', 'lr-05')]).toEqual([true, false]);
    faults.lift({ kind: 'bmc-silent', subject: 'lr-04' });
    expect([faults.list(), told]).toEqual([[], 2]);
  });
  it('gives a layer the same bytes always, and another key others', () => {
    expect(layerBytes('base', 4_000_000).equals(layerBytes('base', 4_000_000))).toBe(true);
    // 4,000,000 / 2000 = 2000 bytes, of which 3 × 512 are around the file: 464, filled up to 512.
    expect(layerBytes('base', 4_000_000)).toHaveLength(2048);
    const listed = execFileSync('tar', ['-tv'], { input: layerBytes('base', 4_000_000), encoding: 'utf8' });
    expect(listed).toMatch(/^-rw-r--r-- 0\/0 +464 1970-01-01 00:00 usr\/share\/layers\/[0-9a-f]{32}\n$/);
    expect(layerBytes('base', 4_000_000).equals(layerBytes('other', 4_000_000))).toBe(false);
  });
  it('keeps its speed within bounds, and stops waiting when told', async () => {
    const clock = new Clock(5000);
    for (const wrong of [0, 5001, Number.NaN]) expect(() => clock.setSpeed(wrong)).toThrow('from 1 to 5000');
    const stop = new AbortController();
    const waiting = clock.sleep(1e6, stop.signal);
    stop.abort();
    await expect(waiting).rejects.toThrow('stopped');
    await clock.sleep(1);
  });
});
