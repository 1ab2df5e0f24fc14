import { createSocket } from 'node:dgram';
import { afterEach, describe, expect, it } from 'vitest';
import { TimeStandin } from '../../../standins/src/time.ts';
import { anywhere, Exits, parseAddressMap } from '../dial/index.ts';
import { askTime, fromTimestamp, toTimestamp } from './index.ts';

const exits = new Exits(parseAddressMap(''), anywhere);
const open: (() => void)[] = [];
afterEach(() => {
  for (const close of open.splice(0)) close();
});
/** A server on a port that is free. */
async function served(t: TimeStandin): Promise<number> {
  const probe = createSocket('udp4');
  await new Promise<void>((done) => probe.bind(0, '127.0.0.1', done));
  const { port } = probe.address();
  await new Promise<void>((done) => probe.close(() => done()));
  await t.listen('127.0.0.1', port);
  open.push(() => t.close());
  return port;
}
const ask = (port: number) => askTime({ address: '127.0.0.1', port, exits, timeoutMs: 200 });

describe('a time server', () => {
  it.each([0, 2500, -90_000])('that is %i ms off is told to be, within what the way takes', async (off) => {
    const { offsetMs, stratum } = await ask(await served(new TimeStandin(() => off)));
    expect(Math.abs(offsetMs - off)).toBeLessThan(1000);
    expect(stratum).toBe(2);
  });
  it('that has no time itself is not believed', async () => {
    await expect(ask(await served(new TimeStandin(() => 0, 16)))).rejects.toThrow('it has no time itself yet');
  });
  it('that is not there is silent', async () => {
    await expect(ask(9)).rejects.toThrow();
  });
  it('is not believed by an answer to another question', async () => {
    const liar = createSocket('udp4');
    liar.on('message', (_, from) => {
      const answer = Buffer.alloc(48);
      answer[0] = 0x24;
      answer[1] = 1;
      liar.send(answer, from.port, from.address);
    });
    await new Promise<void>((done) => liar.bind(0, '127.0.0.1', done));
    open.push(() => liar.close());
    await expect(ask(liar.address().port)).rejects.toThrow('it does not answer');
  });
  it('a time of NTP and back: seconds since 1900, and a quarter as 2^30 of 2^32', () => {
    // 2026-11-29T12:00:00Z is 1,795,953,600 s after 1970; with 2,208,988,800 before it 4,004,942,400.
    const b = Buffer.alloc(8);
    toTimestamp(b, 0, Date.UTC(2026, 10, 29, 12, 0, 0, 250));
    expect([b.readUInt32BE(0), b.readUInt32BE(4)]).toEqual([4_004_942_400, 2 ** 30]);
    expect(fromTimestamp(b, 0)).toBe(Date.UTC(2026, 10, 29, 12, 0, 0, 250));
  });
});
