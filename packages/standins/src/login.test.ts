import type { AddressInfo, Server } from 'node:net';
import { anywhere, Exits } from '@praesidor/protocols/dial';
import { runOver, type SshAt, sshKeys } from '@praesidor/protocols/ssh';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { allowed, maySudo, sshd } from './login.ts';

describe('a line of authorized_keys', () => {
  it('has options, a type and a key', () => {
    expect(allowed('restrict,command="sudo -n /usr/local/sbin/put" ssh-ed25519 AAAAC3Nz server')).toEqual({
      command: 'sudo -n /usr/local/sbin/put',
      type: 'ssh-ed25519',
      data: 'AAAAC3Nz',
    });
    expect(allowed('ssh-ed25519 AAAAC3Nz')).toEqual({ command: undefined, type: 'ssh-ed25519', data: 'AAAAC3Nz' });
    expect(allowed('command="say \\"it\\"" ssh-ed25519 AAAA')?.command).toBe('say "it"');
  });
  it.each(['', '# a comment', 'ssh-ed25519', 'command=put ssh-dss AAAA'])('%j is none', (line) => {
    expect(allowed(line)).toBeUndefined();
  });
});

describe('a line of sudoers', () => {
  it.each([
    ['ALL=(root) NOPASSWD: /usr/local/sbin/put', '/usr/local/sbin/put', true],
    ['ALL=(root) NOPASSWD: /usr/local/sbin/put', '/bin/sh', false],
    ['ALL=(ALL) NOPASSWD:ALL', '/bin/sh', true],
    ['ALL=(root) /usr/local/sbin/put', '/usr/local/sbin/put', false],
    ['', '/bin/sh', false],
  ])('%j lets run %s without a password: %s', (rule, program, may) => {
    expect(maySudo(rule, program)).toBe(may);
  });
});

/** What Debian's sshd was seen to do with the same account (`real-ssh.test.ts`). */
describe('sshd', async () => {
  const [server, machine, other] = [await sshKeys(), await sshKeys(), await sshKeys()];
  const ran: string[] = [];
  let silent = false;
  let at: SshAt;
  let listening: Server;
  beforeAll(async () => {
    const account = { name: 'praesidor', keys: [`restrict,command="sudo -n /put" ${server.public}`], sudo: '' };
    listening = sshd(
      { hostKey: machine.private, accounts: [account] },
      async (command, { name }, input) => {
        ran.push(`${name}: ${command} < ${input}`);
        return { code: 3, lines: ['one', 'two'], errors: 'it went wrong' };
      },
      () => silent,
    );
    await new Promise<void>((up) => listening.listen(0, '127.0.0.1', up));
    at = {
      exits: new Exits([], anywhere),
      host: 'lr-02',
      address: '127.0.0.1',
      port: (listening.address() as AddressInfo).port,
      user: 'praesidor',
      key: server.private,
      hostKey: machine.public,
      patienceMs: 60_000,
    };
  });
  afterAll(() => {
    listening.close();
  });
  const run = (more: Partial<SshAt> = {}, lines: string[] = []) =>
    runOver({ ...at, ...more }, 'anything', Buffer.from('files'), { line: (l) => lines.push(l) });

  it('runs what the line says, whatever is asked for, and tells how it ended', async () => {
    const lines: string[] = [];
    expect(await run({}, lines)).toEqual({ code: 3, errors: 'it went wrong' });
    expect([lines, ran]).toEqual([['one', 'two'], ['praesidor: sudo -n /put < files']]);
  });
  it('lets in nobody with another key or another name, and nobody is sent anything who shows another key', async () => {
    await expect(run({ key: other.private })).rejects.toMatchObject({ fault: 'credentials' });
    await expect(run({ user: 'root' })).rejects.toMatchObject({ fault: 'credentials' });
    await expect(run({ hostKey: other.public })).rejects.toMatchObject({ fault: 'pin' });
    await expect(run({ port: 1 })).rejects.toMatchObject({ fault: 'refused' });
    expect(ran).toHaveLength(1);
  });
  it('that takes the connection and says nothing is given up', async () => {
    silent = true;
    await expect(run({ patienceMs: 700 })).rejects.toMatchObject({ fault: 'silent' });
  });
  it('is not waited for when the work is stopped', async () => {
    const stop = new AbortController();
    const waits = runOver(at, 'anything', Buffer.alloc(0), { line: () => undefined, signal: stop.signal });
    stop.abort();
    await expect(waits).rejects.toMatchObject({ message: expect.stringMatching(/stopped|abort/) });
  });
});
