import { createServer } from 'node:http';
import { createServer as createNet, type AddressInfo } from 'node:net';
import { afterAll, describe, expect, it } from 'vitest';
import { askJson, detour, Dialer, parseDetours, ProtocolError } from './index.ts';

describe('detours', () => {
  it('keep the host part and shift the port', () => {
    // 10.62.7.12 in 10.0.0.0/8: the lower 24 bits are 62.7.12
    expect(detour(parseDetours('10.0.0.0/8=127.0.0.0/8+20000'), '10.62.7.12', 443)).toEqual({
      host: '127.62.7.12',
      port: 20443,
      taken: true,
    });
    expect(detour(parseDetours(''), '10.62.7.12', 443)).toEqual({ host: '10.62.7.12', port: 443, taken: false });
  });
  it.each(['10.0.0.0/8', '10.0.0.0/8=127.0.0.0/16', 'x=y'])('%s is refused', (text) => {
    expect(() => parseDetours(text)).toThrow();
  });
});

describe('the way out', () => {
  const closers: (() => void)[] = [];
  afterAll(() => {
    for (const c of closers) c();
  });
  const dialer = new Dialer([], async (name) => {
    throw new ProtocolError('missing', name, 'no resolver knows it');
  });
  const http = (answer: string, type = 'application/json', status = 200) =>
    new Promise<number>((done) => {
      const s = createServer((_q, r) => r.writeHead(status, { 'content-type': type }).end(answer)).listen(0, '127.0.0.1', () =>
        done((s.address() as AddressInfo).port),
      );
      closers.push(() => s.close());
    });
  const ask = async (port: number, limit?: number) => {
    try {
      return (await askJson(dialer, { host: '127.0.0.1', port, tls: false }, { path: '/x', timeoutMs: 1000 }, limit)).json;
    } catch (e) {
      return (e as ProtocolError).fault;
    }
  };
  it('tells what is not JSON, too large, refused, missing or not there', async () => {
    expect(await ask(await http('<html>'))).toBe('answer');
    expect(await ask(await http(`"${'x'.repeat(5000)}"`), 1000)).toBe('answer');
    expect(await ask(await http('{}', 'application/json', 401))).toBe('credentials');
    expect(await ask(await http('{}', 'application/json', 404))).toBe('missing');
    expect(await ask(1)).toBe('refused');
  });
  it('tells silence and a broken connection apart', async () => {
    const mute = await new Promise<number>((done) => {
      const s = createNet(() => undefined).listen(0, '127.0.0.1', () => done((s.address() as AddressInfo).port));
      closers.push(() => s.close());
    });
    const rude = await new Promise<number>((done) => {
      const s = createNet((c) => c.once('data', () => c.destroy())).listen(0, '127.0.0.1', () =>
        done((s.address() as AddressInfo).port),
      );
      closers.push(() => s.close());
    });
    expect(await ask(mute)).toBe('silent');
    expect(await ask(rude)).toBe('cut');
  });
  it('resolves no name on its own', async () => {
    await expect(dialer.locate('registry.lr.example', 5000)).rejects.toThrow('no resolver knows it');
  });
});
