import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { main } from './main.ts';

const demo = join(import.meta.dirname, '../../../demo/estate');
const work = mkdtempSync(join(tmpdir(), 'praesidor-cli-'));
afterAll(() => rmSync(work, { recursive: true }));

async function run(...args: string[]) {
  let out = '';
  let err = '';
  const code = await main(
    args,
    (t) => {
      out += t;
    },
    (t) => {
      err += t;
    },
  );
  return { code, out, err };
}
const copy = (name: string) => {
  const dir = join(work, name);
  cpSync(demo, dir, { recursive: true });
  return dir;
};

describe('check', () => {
  it('finds in the demo estate what was planted there, and exits 1', async () => {
    const { code, out } = await run('check', '--estate', demo);
    expect(code).toBe(1);
    for (const planted of [
      'ADR-001 Charter plover',
      'CHT-007 Charter plover',
      'DNS-002 Record chart-plotter',
      'HST-001 Host bw-14',
      'CHT-001 Charter dunlin',
      'CHT-003 Charter dunlin',
      'NET-007 Site lr',
    ])
      expect(out).toContain(planted);
  });
  it('exits 0 where nothing stops', async () => {
    expect((await run('check', '--estate', demo, '--charter', 'tern')).code).toBe(0);
  });
  it('says it in JSON', async () => {
    const r = JSON.parse((await run('check', '--estate', demo, '--charter', 'plover', '--json')).out) as {
      findings: { code: string }[];
    };
    expect(r.findings.map((f) => f.code)).toContain('ADR-001');
  });
});

describe('unusable input', () => {
  it('is named with file, line and column, and exits 2', async () => {
    const dir = copy('bad');
    writeFileSync(
      join(dir, 'bad.yaml'),
      'apiVersion: praesidor/v1\nkind: Network\nname: x\nsite: lr\npurpos: machine\nprefix: 10.0.0.0/8\n',
    );
    const { code, err, out } = await run('check', '--estate', dir);
    expect([code, out]).toEqual([2, '']);
    expect(err).toContain(`${join(dir, 'bad.yaml')}:5:1: purpos: unknown field purpos; did you mean purpose?`);
  });
  it.each([
    [['check'], 'required option'],
    [['check', '--estate', '/nowhere-at-all'], 'no such folder'],
    [['follow', '--estate', demo, '--charter', 'plovr'], 'did you mean plover?'],
    [['chek', '--estate', demo], 'unknown command'],
    [['check', '--estate', demo, '--now', 'noon'], 'is not a time'],
  ] as const)('%j exits 2', async (args, says) => {
    const { code, err } = await run(...args);
    expect(code).toBe(2);
    expect(err).toContain(says);
  });
  it('a document declared twice is', async () => {
    const dir = copy('twice');
    writeFileSync(join(dir, 'again.yaml'), readFileSync(join(dir, 'lantern-rock.yaml'), 'utf8').split('---')[0] as string);
    expect((await run('check', '--estate', dir)).err).toContain('Site lr is declared a second time');
  });
});

describe('follow and files', () => {
  it('say the same as the plan', async () => {
    const p = JSON.parse((await run('follow', '--estate', demo, '--charter', 'tern', '--json')).out) as {
      nodes: unknown[];
      api: { address: string };
    };
    expect([p.nodes.length, p.api.address]).toEqual([9, '10.40.8.10']);
  });
  it('write a kit that is the same the second time, and not over another', async () => {
    const [a, b] = [join(work, 'a'), join(work, 'b')];
    expect((await run('files', '--estate', demo, '--charter', 'tern', '--out', a)).code).toBe(0);
    await run('files', '--estate', demo, '--charter', 'tern', '--out', b);
    const files = (dir: string) =>
      readdirSync(dir, { recursive: true, withFileTypes: true })
        .filter((f) => f.isFile())
        .map((f) => join(f.parentPath, f.name))
        .sort();
    expect(files(a).map((f) => readFileSync(f, 'utf8'))).toEqual(files(b).map((f) => readFileSync(f, 'utf8')));
    expect((await run('files', '--estate', demo, '--out', a)).code).toBe(2);
  });
});
