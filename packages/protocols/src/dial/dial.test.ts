import { createServer } from 'node:http';
import { createServer as createNet, type AddressInfo } from 'node:net';
import { afterAll, describe, expect, it } from 'vitest';
import {
  anywhere,
  askJson,
  type Destination,
  mapAddress,
  Dialer,
  Exits,
  parseAddressMap,
  ProtocolError,
  seenAs,
  specialUse,
} from './index.ts';

describe('addressMap', () => {
  it('keep the host part and shift the port', () => {
    // 10.62.7.12 in 10.0.0.0/8: the lower 24 bits are 62.7.12
    expect(mapAddress(parseAddressMap('10.0.0.0/8=127.0.0.0/8+20000'), '10.62.7.12', 443)).toEqual({
      host: '127.62.7.12',
      port: 20443,
      taken: true,
    });
    expect(mapAddress(parseAddressMap(''), '10.62.7.12', 443)).toEqual({ host: '10.62.7.12', port: 443, taken: false });
  });
  it.each(['10.0.0.0/8', '10.0.0.0/8=127.0.0.0/16', 'x=y'])('%s is refused', (text) => {
    expect(() => parseAddressMap(text)).toThrow();
  });
});

describe('exits', () => {
  it.each([
    ['127.0.0.1', 'loopback'],
    ['127.62.8.53', 'loopback'],
    ['::1', 'loopback'],
    ['::ffff:127.0.0.1', 'loopback'],
    ['169.254.169.254', 'link-local'],
    ['fe80::1', 'link-local'],
    ['0.0.0.0', 'no address of one machine'],
    ['224.0.0.1', 'multicast'],
    ['255.255.255.255', 'no address of one machine'],
  ])('%s is %s', (address, what) => expect(specialUse(address)).toBe(what));
  it.each(['10.62.7.12', '192.168.1.1', 'fd00::1', '8.8.8.8'])('%s is a machine’s', (address) =>
    expect(specialUse(address)).toBeUndefined(),
  );
  it('nothing is connected to before the policy and the credential have said yes', async () => {
    const asked: Destination[] = [];
    const connected: string[] = [];
    const server = createNet((c) => {
      connected.push('somebody');
      c.destroy();
    });
    const port = await new Promise<number>((done) =>
      server.listen(0, '127.0.0.1', () => done((server.address() as AddressInfo).port)),
    );
    const to = { purpose: 'registry', host: 'registry.lr.example', port, tls: false } as const;
    const closed = new Dialer(
      new Exits([], (d) => {
        asked.push(d);
        return 'not declared';
      }),
      async () => '127.0.0.1',
    );
    await expect(closed.ask(to, { path: '/' })).rejects.toMatchObject({ fault: 'kept-back', detail: 'not declared' });
    expect(asked).toEqual([{ purpose: 'registry', host: 'registry.lr.example', address: '127.0.0.1', port, mapped: false }]);
    await expect(closed.certificate(to)).rejects.toMatchObject({ fault: 'kept-back' });
    const open = new Dialer(new Exits([], anywhere), async () => '127.0.0.1');
    const leash = (at: { host: string; address: string }) => (at.address === '127.0.0.1' ? 'k may not be sent there' : undefined);
    await expect(open.ask({ ...to, leash }, { path: '/' })).rejects.toMatchObject({
      fault: 'kept-back',
      detail: 'k may not be sent there',
    });
    expect(connected).toEqual([]);
    await expect(open.ask(to, { path: '/' })).rejects.toMatchObject({ fault: 'cut' });
    expect(connected).toHaveLength(1);
    server.close();
    await Promise.all([closed.close(), open.close()]);
  });
});

describe('the way out', () => {
  const closers: (() => void)[] = [];
  afterAll(() => {
    for (const c of closers) c();
  });
  const dialer = new Dialer(new Exits([], anywhere), async (name) => {
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
      return (
        await askJson(
          dialer,
          { purpose: 'registry', host: '127.0.0.1', port, tls: false },
          { path: '/x', timeoutMs: 1000 },
          limit,
        )
      ).json;
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
    await expect(dialer.locate({ purpose: 'registry', host: 'registry.lr.example', port: 5000 })).rejects.toThrow(
      'no resolver knows it',
    );
  });
});

describe('who asks', () => {
  const addressMap = parseAddressMap('10.0.0.0/8=127.0.0.0/8+20000,fd00::/64=fd99::/64');
  it.each([
    ['127.62.8.32', '10.62.8.32'],
    ['::ffff:127.62.8.32', '10.62.8.32'],
    ['::FFFF:192.0.2.7', '192.0.2.7'],
    ['192.0.2.7', '192.0.2.7'],
    ['fd99::32', 'fd00::32'],
    ['fd01::32', 'fd01::32'],
    ['', ''],
    ['somebody', 'somebody'],
  ])('%s is %s, as the plan has it', (client, address) => {
    expect(seenAs(addressMap, client)).toBe(address);
    expect(seenAs([], client)).toBe(client.replace(/^::ffff:/i, ''));
  });
});
