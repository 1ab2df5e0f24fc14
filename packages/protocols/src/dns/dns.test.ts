import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  classCode,
  decode,
  decodeName,
  encode,
  encodeData,
  encodeName,
  message,
  opcode,
  rr,
  sign,
  verify,
  WireError,
} from './index.ts';

const key = { name: 'lr-dns', secret: Buffer.from('lantern-rock-demo-key-0123456789') };

describe('the wire', () => {
  it.each([
    ['A', '10.62.8.20'],
    ['AAAA', 'fd00::1'],
    ['CNAME', 'a.example'],
    ['PTR', 'lr-06.lr.example'],
    ['NS', 'ns1.example'],
    ['TXT', `"${'x'.repeat(255)}" "${'x'.repeat(45)}"`],
    ['TXT', 'one text; with "quotes" within'],
    ['SRV', '10 5 6443 kube.example'],
    ['SOA', 'ns1.example hostmaster.example 7 3600 900 1209600 300'],
  ])('%s goes there and back', (type, value) => {
    const m = message({ id: 7, response: true, answers: [rr('x.example', type, 60, value)] });
    expect(decode(encode(m)).answers[0]).toMatchObject({ name: 'x.example', type, ttl: 60, value });
  });
  it('follows compression backwards (the example of RFC 1035 §4.1.4)', () => {
    const b = Buffer.concat([
      Buffer.alloc(20),
      Buffer.from([1]),
      Buffer.from('f'),
      Buffer.from([3]),
      Buffer.from('isi'),
      Buffer.from([4]),
      Buffer.from('arpa'),
      Buffer.from([0]),
      Buffer.from([3]),
      Buffer.from('foo'),
      Buffer.from([0xc0, 20]),
    ]);
    expect(decodeName(b, 32)).toEqual({ name: 'foo.f.isi.arpa', next: 38 });
  });
  it('refuses a pointer that loops', () => {
    expect(() => decodeName(Buffer.from([0xc0, 0]), 0)).toThrow('does not point backwards');
  });
  it('refuses labels over 63 and names over 255 bytes', () => {
    expect(() => encodeName('a'.repeat(64))).toThrow('1 to 63');
    expect(() => encodeName(Array(5).fill('a'.repeat(60)).join('.'))).toThrow('255');
  });
  it('refuses an address that does not fit its type', () => {
    expect(() => encodeData('AAAA', '10.0.0.1')).toThrow('is not an IPv6 address');
  });
  it('answers whatever bytes with a message or a place, never anything else', () => {
    const seen = (b: Buffer) => {
      try {
        decode(b);
      } catch (e) {
        if (!(e instanceof WireError)) throw e;
      }
    };
    fc.assert(fc.property(fc.uint8Array({ maxLength: 400 }), (bytes) => seen(Buffer.from(bytes))));
    const good = encode(
      message({
        questions: [{ name: 'x.example', type: 'A', class: 1 }],
        answers: [rr('x.example', 'SOA', 60, 'a.example b.example 1 2 3 4 5'), rr('y.example', 'TXT', 60, 'text')],
      }),
    );
    for (let n = 0; n < good.length; n++) seen(good.subarray(0, n));
    fc.assert(
      fc.property(fc.nat({ max: good.length - 1 }), fc.nat({ max: 255 }), (at, byte) => {
        const b = Buffer.from(good);
        b[at] = byte;
        seen(b);
      }),
    );
  });
});

describe('signatures', () => {
  const wire = encode(
    message({
      id: 9,
      opcode: opcode.update,
      questions: [{ name: 'lr.example', type: 'SOA', class: classCode.IN }],
      authorities: [rr('x.lr.example', 'A', 60, '10.0.0.1')],
    }),
  );
  const signed = sign(wire, key, 1_700_000_000);
  it('hold for the key and the time', () => {
    expect(verify(signed.wire, [key], 1_700_000_100)).toMatchObject({ ok: true });
  });
  it('do not hold for another key, another byte, or another time', () => {
    expect(verify(signed.wire, [{ ...key, secret: Buffer.from('other') }], 1_700_000_000)).toMatchObject({
      ok: false,
      why: 'signature',
    });
    expect(verify(signed.wire, [], 1_700_000_000)).toMatchObject({ ok: false, why: 'key' });
    expect(verify(wire, [key], 1_700_000_000)).toMatchObject({ ok: false, why: 'unsigned' });
    expect(verify(signed.wire, [key], 1_700_000_301)).toMatchObject({ ok: false, why: 'time' });
    const changed = Buffer.from(signed.wire);
    changed[50] = (changed[50] ?? 0) ^ 1;
    let outcome: unknown;
    try {
      outcome = verify(changed, [key], 1_700_000_000).ok;
    } catch {
      outcome = false;
    }
    expect(outcome).toBe(false);
  });
  it('chain the answer to its question', () => {
    const answer = sign(encode(message({ id: 9, response: true })), key, 1_700_000_000, signed.mac);
    expect(verify(answer.wire, [key], 1_700_000_000, signed.mac).ok).toBe(true);
    expect(verify(answer.wire, [key], 1_700_000_000).ok).toBe(false);
  });
});
