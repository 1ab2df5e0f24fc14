import type { NewToken } from '@praesidor/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { main } from '../../cli/src/main.ts';
import { buildOf, type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

/** Changes of a cluster from the command line, on a server that runs: shown, begun, followed, stopped, resumed, ended. */
const i = new Installation();
let c: Client;
let p: Plover;
beforeAll(async () => {
  await i.start({ timeoutSeconds: 3 });
  c = await i.as('warden');
  p = new Plover(i, c);
  await prepare(c);
  await p.set('one worker', [['workers', 'count'], 1]);
  process.env.PRAESIDOR_SERVER = i.config.publicUrl;
  process.env.PRAESIDOR_LOGIN = 'builder';
  process.env.PRAESIDOR_PASSWORD = i.password;
});
afterAll(async () => {
  for (const name of ['SERVER', 'LOGIN', 'PASSWORD']) delete process.env[`PRAESIDOR_${name}`];
  await i.stop();
});
async function run(...args: string[]): Promise<{ code: number; out: string; err: string }> {
  const said = { out: '', err: '' };
  const code = await main(
    args,
    (t) => void (said.out += t),
    (t) => void (said.err += t),
  );
  return { code, ...said };
}
const changes = (...args: string[]) => run('changes', ...args);

describe('a change from the command line', () => {
  it('is shown, as the page shows it', async () => {
    const { code, out } = await changes('show', 'plover');
    expect([code, out.split('\n')[0]]).toEqual([0, 'Build plover']);
    const { due } = JSON.parse((await changes('show', 'plover', '--json')).out);
    expect(due).toEqual(await p.due());
  });

  it('is not begun by itself where nobody can be asked, nor over a finding that stops it, nor by whoever may not', async () => {
    expect(await changes('begin', 'plover')).toMatchObject({ code: 2, err: expect.stringContaining('--yes') });
    expect(await changes('begin', 'dunlin', '--yes')).toMatchObject({ code: 1, err: expect.stringContaining('stop') });
    expect(await changes('begin', 'plover', '--yes', '--login', 'planner')).toMatchObject({
      code: 1,
      err: expect.stringContaining('builder'),
    });
    expect((await c.good<{ builds: object[] }>('GET', '/api/builds')).builds).toEqual([]);
  });

  it('is begun and followed; a step that fails is named with what to do, and it is resumed', async () => {
    i.plant('node-never-boots', 'lr-05');
    const { code, out } = await changes('begin', 'plover', '--yes', '--wait');
    expect(code).toBe(1);
    expect(out).toContain('begun: change 1 of plover\n');
    expect(out).toMatch(/\n\d{4}-\d\d-\d\dT[\d:.]+Z {2}preflight {2}everything measured is good\n/);
    expect(out).toMatch(/\nBuild plover: failed\n {2}lr-05\/system: lr-05 has power and never asked for its boot program/);
    i.lift('node-never-boots', 'lr-05');
    const again = await changes('resume', 'plover', '1', '--wait', '--json');
    expect(again.code).toBe(0);
    const lines = again.out
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as Record<string, unknown>);
    expect(lines.at(-1)).toEqual({ state: 'done', failed: [] });
    expect(await p.due()).toBeNull();
    const log = (await changes('log', 'plover', '1')).out.split('\n').length - 1;
    expect(log).toBe(lines.length - 1);
    expect(await changes('begin', 'plover', '--yes')).toMatchObject({ code: 0, out: 'plover stands as planned\n' });
    // By whom, is on record, and that nobody is left signed in.
    const { acts } = await c.good<{ acts: { act: string; who: string }[] }>('GET', '/api/acts?limit=100');
    expect(acts).toContainEqual(expect.objectContaining({ act: 'began a build', who: 'builder' }));
    expect(await i.query("select 1 from session where login = 'builder'")).toEqual([]);
  });

  it('is paused, goes on, is stopped; an end is confirmed by the name', async () => {
    const { speed } = i.world.clock;
    // Slowly enough to be met before its end.
    i.world.clock.setSpeed(20);
    expect((await changes('begin', 'plover', '--kind', 'renew', '--yes')).out).toContain('begun: change 2 of plover');
    const state = async () => (await buildOf(c, 2)).status.state;
    await eventually(async () => (await state()) === 'running', 'it to run');
    expect((await changes('pause', 'plover', '2')).code).toBe(0);
    expect(await state()).toBe('paused');
    expect(await changes('pause', 'plover', '2')).toMatchObject({ code: 1, err: expect.stringContaining('paused') });
    expect((await changes('continue', 'plover', '2')).code).toBe(0);
    expect((await changes('stop', 'plover', '2')).code).toBe(0);
    i.world.clock.setSpeed(speed);
    expect((await changes('list', 'plover')).out).toBe(
      'plover 2  stopped  Renew certificates of plover\nplover 1  proved  Build plover\n',
    );
    expect((await changes('resume', 'plover', '2', '--wait')).code).toBe(0);
    // A name confirms what ends something, and nothing else.
    expect(await changes('begin', 'plover', '--kind', 'renew', '--confirm', 'plover')).toMatchObject({
      code: 2,
      err: expect.stringContaining('--yes'),
    });
    const down = ['begin', 'plover', '--kind', 'take-down'];
    expect(await changes(...down)).toMatchObject({ code: 2, err: expect.stringContaining('--confirm') });
    expect((await changes(...down, '--confirm', 'plover', '--wait')).code).toBe(0);
    expect((await p.serving()).length).toBe(0);
  });

  it('is nothing that a wrong password, a server that is not there, or a plain way to another machine lets through', async () => {
    const at = (url: string, more: string[] = []) => changes('list', '--server', url, ...more);
    process.env.PRAESIDOR_PASSWORD = 'somebody else';
    expect((await changes('list')).code).toBe(1);
    process.env.PRAESIDOR_PASSWORD = i.password;
    expect(await at('http://127.0.0.1:1')).toMatchObject({ code: 2, err: expect.stringContaining('cannot be asked') });
    expect(await at('http://praesidor.example')).toMatchObject({ code: 2, err: expect.stringContaining('Use https://') });
    expect(await at(i.config.publicUrl, ['--ca', '/nowhere.pem'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('/nowhere.pem'),
    });
    expect(await at('nowhere')).toMatchObject({ code: 2, err: expect.stringContaining('is no address') });
    expect(await changes('log', 'plover', 'x')).toMatchObject({ code: 2 });
    expect(await changes('show', 'nobody')).toMatchObject({ code: 1, err: expect.stringContaining('nobody') });
    expect(await changes('show', 'plover', '--kind', 'x')).toMatchObject({ code: 2, err: expect.stringContaining('take-down') });
  });
  it('is done by a program with its token alone, as far as that was made for it', async () => {
    const builder = await i.as('builder');
    const { token } = await builder.good<NewToken>('POST', '/api/me/tokens', { name: 'pipeline', acts: ['plan.read'], days: 1 });
    for (const name of ['LOGIN', 'PASSWORD']) delete process.env[`PRAESIDOR_${name}`];
    expect(await changes('list')).toMatchObject({ code: 2, err: expect.stringContaining('nobody is signed in') });
    process.env.PRAESIDOR_TOKEN = token;
    try {
      const sessions = () => i.query<{ n: number }>("select count(*)::int as n from session where login = 'builder'");
      const before = await sessions();
      expect((await changes('list', 'plover')).code).toBe(0);
      // Nobody signs in for it.
      expect(await sessions()).toEqual(before);
      expect(await changes('stop', 'plover', '1')).toMatchObject({
        code: 1,
        err: expect.stringContaining('The token pipeline of builder was not made to run builds.'),
      });
      expect(await changes('list', '--server', 'http://praesidor.example')).toMatchObject({
        code: 2,
        err: expect.stringContaining('a password or token is not sent'),
      });
      process.env.PRAESIDOR_TOKEN = `${token}x`;
      expect(await changes('list')).toMatchObject({ code: 1, err: expect.stringContaining('The token is not known here') });
    } finally {
      delete process.env.PRAESIDOR_TOKEN;
    }
  });
});
