import { mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Difference, NewToken, RecordedAct, WholeProposal } from '@praesidor/contract';
import { type Doc, writeDocument } from '@praesidor/core/model';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { main } from '../../cli/src/main.ts';
import { type Client, Installation } from './installation.ts';

/** An estate in a repository: what a pipeline declares with a token, what it is shown before, and what it is refused. */
const i = new Installation();
let warden: Client;
let dir: string;
const variables = ['PRAESIDOR_SERVER', 'PRAESIDOR_TOKEN', 'PRAESIDOR_LOGIN', 'PRAESIDOR_PASSWORD', 'XDG_CONFIG_HOME'];

beforeAll(async () => {
  await i.start();
  warden = await i.as('warden');
  dir = mkdtempSync(join(tmpdir(), 'praesidor-pipeline-'));
  process.env.XDG_CONFIG_HOME = join(dir, 'config');
  const { token } = await warden.good<NewToken>('POST', '/api/me/tokens', {
    name: 'nightly',
    acts: ['plan.read', 'plan.import', 'record.read', 'clusters.view', 'builds.run', 'proposals.write'],
    days: 1,
  });
  process.env.PRAESIDOR_SERVER = i.config.publicUrl;
  process.env.PRAESIDOR_TOKEN = token;
});
afterAll(async () => {
  for (const name of variables) delete process.env[name];
  rmSync(dir, { recursive: true, force: true });
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
const file = (name: string, text: string) => {
  writeFileSync(join(dir, name), text);
  return join(dir, name);
};
const standing = async (kind: string, key: string) =>
  (await warden.good<{ doc: Doc & Record<string, unknown> }>('GET', `/api/documents/${kind}/${encodeURIComponent(key)}`)).doc;
const written = async (kind: string, key: string, more: object) =>
  writeDocument({ ...(await standing(kind, key)), ...more } as Doc);
const newest = async () => (await warden.good<{ acts: RecordedAct[] }>('GET', '/api/acts?limit=1')).acts[0];

describe('what files would change', () => {
  it('is nothing, where they say what stands: of one file, and of a folder', async () => {
    const f = file('tern.yaml', await written('Charter', 'tern', {}));
    expect(await run('difference', f)).toMatchObject({ code: 0, out: '0 documents added, 0 changed, 1 as they stand\n' });
    mkdirSync(join(dir, 'estate'), { recursive: true });
    writeFileSync(join(dir, 'estate', 'a.yaml'), await written('Charter', 'tern', {}));
    writeFileSync(join(dir, 'estate', 'b.yml'), await written('Network', 'lr-machine', {}));
    writeFileSync(join(dir, 'estate', 'notes.txt'), 'no document');
    expect((await run('difference', join(dir, 'estate'))).out).toBe('0 documents added, 0 changed, 2 as they stand\n');
  });
  it('is shown field by field, with what is found then and what is settled, and changes nothing', async () => {
    const f = file('tern.yaml', await written('Charter', 'tern', { purpose: 'tickets and times', release: '1.33.6' }));
    const before = await newest();
    const { code, out } = await run('difference', f);
    expect(code).toBe(1);
    expect(out).toContain('~ Charter tern\n');
    expect(out).toContain('    purpose: ');
    expect(out).toMatch(/ {4}release: 1\.\d+\.\d+ → 1\.33\.6\n/);
    const d = JSON.parse((await run('difference', f, '--json')).out) as Difference;
    expect(d.changes.map((c) => [c.what, c.kind, c.key, c.fields.map((x) => x.path).sort()])).toEqual([
      ['changed', 'Charter', 'tern', ['purpose', 'release']],
    ]);
    expect((await newest())?.id).toBe(before?.id);
    expect((await standing('Charter', 'tern')).purpose).not.toBe('tickets and times');
  });
  it('is refused with file and line where it cannot be read, and said where there is no file', async () => {
    const bad = file('bad.yaml', 'apiVersion: praesidor/v1\nkind: Charter\nname: x\nsite: [\n');
    expect(await run('difference', bad)).toMatchObject({ code: 1, err: expect.stringContaining('line') });
    expect(await run('difference', join(dir, 'none.yaml'))).toMatchObject({
      code: 2,
      err: expect.stringContaining('there is no such file'),
    });
    expect((await run('difference')).code).toBe(2);
  });
});

describe('declaring', () => {
  it('is not done by itself where nobody can be asked; with --yes it is one act, by the token, and then nothing is left to do', async () => {
    const f = file(
      'two.yaml',
      [await written('Charter', 'tern', { purpose: 'tickets' }), await written('Charter', 'plover', { purpose: 'lights' })].join(
        '---\n',
      ),
    );
    expect(await run('declare', f)).toMatchObject({ code: 2, err: expect.stringContaining('--yes') });
    expect((await standing('Charter', 'tern')).purpose).not.toBe('tickets');
    const { code, out } = await run('declare', f, '--yes');
    expect([code, out]).toEqual([0, expect.stringMatching(/\ndeclared: 0 added, 2 changed, act \d+ of the record\n$/)]);
    expect(await newest()).toMatchObject({ act: 'imported', token: 'nightly', who: 'warden', canUndo: true });
    expect([(await standing('Charter', 'tern')).purpose, (await standing('Charter', 'plover')).purpose]).toEqual([
      'tickets',
      'lights',
    ]);
    expect(await run('declare', f, '--yes')).toMatchObject({ code: 0, out: '0 documents added, 0 changed, 2 as they stand\n' });
  });
  it('is refused whole where a check stops something then, and done all the same when that is said', async () => {
    // Pods in the range of the services.
    const plover = (await standing('Charter', 'plover')) as unknown as { services: { range: string }; pods: object };
    const f = file(
      'stopped.yaml',
      [
        await written('Charter', 'plover', { pods: { ...plover.pods, range: plover.services.range } }),
        await written('Charter', 'tern', { purpose: 'not this' }),
      ].join('---\n'),
    );
    const { code, out, err } = await run('declare', f, '--yes');
    expect([code, out]).toEqual([1, expect.stringMatching(/found then:\n\+ stop /)]);
    expect(err).toContain('Nothing was imported');
    expect((await standing('Charter', 'tern')).purpose).toBe('tickets');
    expect((await run('declare', f, '--yes', '--although-stopped')).code).toBe(0);
    expect((await standing('Charter', 'tern')).purpose).toBe('not this');
    // What stops already stops nothing else.
    const later = file('later.yaml', await written('Charter', 'tern', { purpose: 'later' }));
    expect((await run('declare', later, '--yes')).code).toBe(0);
  });
  it('is refused to who may not, before anybody is asked', async () => {
    const f = file('team.yaml', await written('Team', 'aboard', { allowance: { hosts: 900 } }));
    const { token } = await (await i.as('planner')).good<NewToken>('POST', '/api/me/tokens', {
      name: 'p',
      acts: ['plan.read', 'plan.import'],
      days: 1,
    });
    const own = process.env.PRAESIDOR_TOKEN;
    process.env.PRAESIDOR_TOKEN = token;
    const said = await run('declare', f, '--yes');
    process.env.PRAESIDOR_TOKEN = own;
    expect(said).toMatchObject({ code: 1, err: expect.stringContaining('takes the role warden') });
    expect(said.out).toContain('refused: ');
  });
  it('is kept as a proposal where a title is given, also where one person alone may not do it; nothing is changed', async () => {
    const f = file('proposed.yaml', await written('Team', 'aboard', { title: 'Those aboard' }));
    const { code, out } = await run('declare', f, '--propose', 'another title');
    expect([code, out]).toEqual([0, expect.stringMatching(/\nproposal \d+\n$/)]);
    const id = /proposal (\d+)/.exec(out)?.[1];
    const p = await warden.good<WholeProposal>('GET', `/api/proposals/${id}`);
    expect(p).toMatchObject({ title: 'another title', state: 'open', by: 'warden' });
    expect(p.changes.map((c) => [c.key, c.fields.map((x) => x.path.join('.'))])).toEqual([['aboard', ['title']]]);
    expect((await standing('Team', 'aboard')).title).not.toBe('Those aboard');
  });
  it('does not write over what somebody changed since it was looked at', async () => {
    const text = await written('Charter', 'gannet', { purpose: 'from the repository' });
    const d = await warden.good<Difference>('POST', '/api/difference', { text });
    await warden.good('POST', '/api/edits', {
      why: 'meanwhile',
      edits: [{ op: 'set', kind: 'Charter', key: 'gannet', path: ['purpose'], value: 'by hand' }],
    });
    const a = await warden.call('POST', '/api/import', { text, revision: d.revision });
    expect([a.status, (await standing('Charter', 'gannet')).purpose]).toEqual([409, 'by hand']);
  });
});

describe('what stands', () => {
  it('is listed by kind and site, whole over several pages', async () => {
    const listed = JSON.parse((await run('list', 'charter', '--json')).out) as { documents: { key: string }[] };
    expect(listed.documents.map((d) => d.key)).toEqual(
      (await i.query<{ key: string }>('select key from charter order by key')).map((r) => r.key),
    );
    expect((await run('list', 'Host', '--site', 'ptl')).out.split('\n').filter(Boolean).length).toBe(
      (await i.query("select 1 from host where doc->>'site' = 'ptl'")).length,
    );
    expect(await run('list', 'ship')).toMatchObject({ code: 2, err: expect.stringContaining('kinds are Site') });
    const first = await warden.good<{ documents: { key: string }[] }>('GET', '/api/documents/host?limit=2');
    const next = await warden.good<{ documents: { key: string }[] }>(
      'GET',
      `/api/documents/host?limit=2&after=${first.documents[1]?.key}`,
    );
    expect([...first.documents, ...next.documents].map((d) => d.key)).toEqual(
      (await i.query<{ key: string }>('select key from host order by key limit 4')).map((r) => r.key),
    );
  });
  it('is one document, also of a key with a slash in it', async () => {
    const [{ key } = { key: '' }] = await i.query<{ key: string }>('select key from reservation limit 1');
    expect(await standing('Reservation', key)).toMatchObject({ kind: 'Reservation', network: key.split('/')[0] });
    expect((await warden.call('GET', '/api/documents/charter/none')).status).toBe(404);
    expect((await warden.call('GET', '/api/documents/none')).status).toBe(404);
  });
});

describe('signing in from the command line', () => {
  afterEach(async () => void (await run('sign-out')));
  it('keeps a token that is readable by its owner alone, and sends it to that server alone', async () => {
    const [token, server] = [process.env.PRAESIDOR_TOKEN, process.env.PRAESIDOR_SERVER as string];
    delete process.env.PRAESIDOR_TOKEN;
    delete process.env.PRAESIDOR_SERVER;
    try {
      expect(await run('list', 'Site')).toMatchObject({ code: 2, err: expect.stringContaining('--server') });
      process.env.PRAESIDOR_PASSWORD = i.password;
      const said = await run('sign-in', '--server', server, '--login', 'builder');
      expect([said.code, said.out]).toEqual([0, expect.stringContaining('builder is signed in until ')]);
      delete process.env.PRAESIDOR_PASSWORD;
      const kept = join(dir, 'config', 'praesidor', 'signed-in.json');
      expect(statSync(kept).mode & 0o777).toBe(0o600);
      expect(readFileSync(kept, 'utf8')).not.toContain(i.password);
      expect((await run('list', 'Site')).code).toBe(0);
      // Nobody is signed in anywhere else.
      expect(await run('list', 'Site', '--server', 'https://elsewhere.example')).toMatchObject({
        code: 2,
        err: expect.stringContaining('nobody is signed in'),
      });
      // It may what builder may: no more.
      expect((await run('changes', 'list')).code).toBe(0);
      await run('sign-out');
      expect(await run('list', 'Site')).toMatchObject({ code: 2 });
    } finally {
      process.env.PRAESIDOR_TOKEN = token;
      process.env.PRAESIDOR_SERVER = server;
    }
  });
});
