import { createHash } from 'node:crypto';
import type { AddressInfo } from 'node:net';
import { anywhere, Exits } from '@praesidor/protocols/dial';
import { runOver, type SshKeys, sshKeys } from '@praesidor/protocols/ssh';
import { pack } from 'tar-stream';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Router, Routers, type SavedRouter } from './router.ts';

const program = { path: '/usr/local/sbin/praesidor-gateway', text: '#!/bin/sh\n' };
const vrrp = (priority: number) => `vrrp_instance one {
  interface lan
  virtual_router_id 8
  priority ${priority}
  virtual_ipaddress {
    10.62.8.1/25
  }
}
`;
const tar = async (files: Record<string, string>, sums = true) => {
  const t = pack();
  for (const [name, text] of Object.entries(files)) t.entry({ name }, text);
  const sum = (text: string) => createHash('sha256').update(text).digest('hex');
  t.entry(
    { name: 'SHA256SUMS' },
    Object.entries(files)
      .map(([n, text]) => `${sums ? sum(text) : sum('x')}  ${n}\n`)
      .join(''),
  );
  t.finalize();
  const pieces: Buffer[] = [];
  for await (const p of t) pieces.push(p as Buffer);
  return Buffer.concat(pieces);
};

/** What the real programs were seen to do with the same files (`real-setup.test.ts`). */
describe('machines that route', () => {
  let keys: Record<'server' | 'a' | 'b', SshKeys>;
  const doors: Router[] = [];
  const start = async (name: 'a' | 'b', all: Routers, saved?: SavedRouter) => {
    const r = all.add({ name, interfaces: { lan: `10.62.8.12${name === 'a' ? 5 : 6}/25` } }, keys[name].private, saved);
    await new Promise<void>((done) => r.door.listen(0, '127.0.0.1', done));
    doors.push(r);
    return r;
  };
  const ask = async (r: Router, name: 'a' | 'b', files: Record<string, string>, sums = true) => {
    const lines: string[] = [];
    const port = (r.door.address() as AddressInfo).port;
    const at = { exits: new Exits([], anywhere), host: name, address: '127.0.0.1', port, user: 'praesidor' };
    const ended = await runOver({ ...at, key: keys.server.private, hostKey: keys[name].public }, 'x', await tar(files, sums), {
      line: (l) => lines.push(l),
    });
    return { ...ended, lines };
  };
  const give = (r: Router, sudo = `ALL=(root) NOPASSWD: ${program.path}`) =>
    r.give({ name: 'praesidor', keys: [`restrict,command="sudo -n ${program.path}" ${keys.server.public}`], sudo }, program);
  const all = new Routers(() => undefined);
  let a: Router;
  let b: Router;
  beforeAll(async () => {
    keys = { server: await sshKeys(), a: await sshKeys(), b: await sshKeys() };
    a = await start('a', all);
    b = await start('b', all);
  });
  afterAll(() => {
    for (const d of doors) d.close();
  });

  it('let nobody in before somebody makes the account, and run nothing that sudo does not allow', async () => {
    await expect(ask(a, 'a', { do: 'state' })).rejects.toMatchObject({ fault: 'credentials' });
    give(a, 'ALL=(root) /usr/bin/id');
    expect((await ask(a, 'a', { do: 'state' })).errors).toBe('sudo: a password is required');
    for (const r of [a, b]) give(r);
    expect((await ask(a, 'a', { do: 'state' })).lines).toEqual(['address lan 10.62.8.125/25']);
    expect((await ask(a, 'a', { do: 'reboot' })).code).toBe(64);
  });
  it.each<[string, Record<string, string>, number, RegExp]>([
    ['an interface that is not there', { interfaces: 'lan\nvlan9\n' }, 66, /no interface vlan9/],
    ['a file of BIRD that does not end', { 'root/etc/bird/bird.conf': 'protocol static {' }, 67, /unexpected end of file/],
    ['a next hop that is none', { 'root/etc/bird/bird.conf': 'protocol static { \nroute 10.0.0.0/8 via here;\n}' }, 67, /:2:1/],
    ['a file of keepalived with a brace too many', { 'root/etc/keepalived/keepalived.conf': '}\n' }, 68, /line 1/],
    ['a filter that does not end', { 'root/etc/nftables.conf': 'table inet gateway {\n' }, 69, /end of file/],
  ])('refuse %s, and change nothing', async (_, files, code, why) => {
    for (const asked of ['judge', 'apply']) {
      const ended = await ask(a, 'a', { do: asked, ...files });
      expect([ended.code, ended.lines]).toEqual([code, []]);
      expect(ended.errors).toMatch(why);
    }
    expect(Object.keys(a.save().files)).toEqual([program.path]);
  });
  it('change nothing where what came is not whole', async () => {
    const ended = await ask(a, 'a', { do: 'apply', 'root/etc/bird/bird.conf': 'protocol device { }\n' }, false);
    expect([ended.code, Object.keys(a.save().files)]).toEqual([65, [program.path]]);
  });
  it('do what lies in their files: the one of higher priority has the address that moves', async () => {
    const bird = 'protocol static static4 {\n  ipv4;\n  route 10.67.0.0/16 via 10.62.8.2;\n}\n';
    const files = (priority: number) => ({
      do: 'apply',
      'root/etc/bird/bird.conf': bird,
      'root/etc/keepalived/keepalived.conf': vrrp(priority),
    });
    expect((await ask(b, 'b', files(100))).lines).toEqual([
      'put /etc/bird/bird.conf',
      'put /etc/keepalived/keepalived.conf',
      'in force',
    ]);
    const state = async (r: Router, name: 'a' | 'b') => (await ask(r, name, { do: 'state' })).lines;
    // Alone with that number, it leads.
    expect(await state(b, 'b')).toContain('address lan 10.62.8.1/25');
    await ask(a, 'a', files(150));
    expect(await state(a, 'a')).toEqual([
      'address lan 10.62.8.125/25',
      'address lan 10.62.8.1/25',
      'route 10.67.0.0/16 via 10.62.8.2 dev lan proto bird metric 32',
    ]);
    expect(await state(b, 'b')).not.toContain('address lan 10.62.8.1/25');
    // Started again it goes by what lies there.
    const again = await start('a', new Routers(() => undefined), a.save());
    expect(await state(again, 'a')).toEqual(await state(a, 'a'));
  });
});
