import fc from 'fast-check';
import { parse } from 'smol-toml';
import { describe, expect, it } from 'vitest';
import { Registry } from '../model/documents.ts';
import { heldBy, hostsFiles, keptAt, mirrorRules, missing, rulesFor, whereFrom } from './index.ts';

const d = (c: string) => `sha256:${c.repeat(64)}`;
const endpoint = 'depot.lr.example:5000';
const kept = (...keeps: [source: string, under: string][]) => ({
  endpoint,
  keeps: keeps.map(([source, under]) => ({ source, under })),
});

/** Where a runtime would ask that reads one hosts.toml a registry, and puts the name's path behind what stands there. */
function asks(image: string, files: ReturnType<typeof hostsFiles>): string | undefined {
  const slash = image.indexOf('/');
  const file = files.find((f) => f.source === image.slice(0, slash));
  if (!file) return undefined;
  const [[url, says] = ['', {}]] = Object.entries(
    (parse(file.text) as { host?: Record<string, { override_path?: boolean }> }).host ?? {},
  );
  const base = says.override_path ? url.replace('https://', '') : `${url.replace('https://', '')}/v2`;
  return `${base}${image.slice(slash).split(':')[0]}`;
}

describe('what a registry keeps below a path of its own', () => {
  it('stands under the longest rule that its name begins with, part by part, and under its own path where none does', () => {
    const r = kept(['up.example', 'mirrored'], ['up.example/core', 'mirrored/base/core']);
    expect(keptAt('up.example/core/api:1', r)).toMatchObject({ repository: 'mirrored/base/core/api', tag: '1' });
    expect(keptAt('up.example/corepack/api:1', r).repository).toBe('mirrored/corepack/api');
    expect(keptAt('other.example/core/api:1', r).repository).toBe('core/api');
    expect(keptAt('up.example/core/api:1', undefined).repository).toBe('core/api');
  });
  it('is held only where it is answered to: under that path, and not under its own', () => {
    const bill = {
      name: 'r',
      at: '',
      images: [{ ref: 'up.example/x:1', component: 'x', on: 'node', digest: d('1'), manifests: [d('1')], blobs: [d('a')] }],
      blobs: { [d('a')]: { bytes: 1, declaredBytes: 1 } },
    };
    const seen = (name: string) => ({ at: '', digests: [d('1'), d('a')], names: [`${name}@${d('1')}`] });
    const r = kept(['up.example', 'mirrored']);
    expect(missing(bill, heldBy(seen('mirrored/x:1'), r)).images).toEqual([]);
    expect(missing(bill, heldBy(seen('x:1'), r)).images).toEqual(['up.example/x:1']);
    // The same that was seen, held against another rule: nothing of the first answer is remembered.
    const once = seen('x:1');
    expect(missing(bill, heldBy(once, r)).images).toHaveLength(1);
    expect(missing(bill, heldBy(once, undefined)).images).toHaveLength(0);
    expect(mirrorRules([bill], r)).toEqual([{ source: 'up.example', mirror: `${endpoint}/mirrored` }]);
  });
  it('is told to runtimes in one file a registry, and what that form cannot say is named', () => {
    const images = ['up.example/core/api:1', 'up.example/tools/ping:1', 'own.example/a:1'];
    const [own, up] = hostsFiles(rulesFor(images, kept(['up.example/core', 'k/core'], ['up.example/tools', 'k/tools'])));
    expect([own?.unsaid, up?.unsaid]).toEqual([[], []]);
    expect(up?.text).toContain('server = "https://depot.lr.example:5000/v2/k"');
    expect(own?.text).toContain('server = "https://depot.lr.example:5000"\n');
    // core goes below k, everything else stays: two places for one registry.
    const apart = hostsFiles(rulesFor(images, kept(['up.example/core', 'k/core'])));
    expect(apart.find((f) => f.source === 'up.example')?.unsaid).toEqual([
      { source: 'up.example/core', mirror: `${endpoint}/k/core` },
    ]);
  });
  it('is asked for exactly where it stands, whatever the rules, as long as nothing is left unsaid', () => {
    const part = fc.constantFrom('core', 'tools', 'k', 'a');
    const path = fc.array(part, { minLength: 1, maxLength: 3 }).map((p) => p.join('/'));
    const host = fc.constantFrom('up.example', 'own.example:5000');
    fc.assert(
      fc.property(
        fc.array(fc.tuple(host, fc.option(path, { nil: undefined }), path), { maxLength: 3 }),
        fc.array(fc.tuple(host, path), { minLength: 1, maxLength: 5 }),
        (keeps, names) => {
          const r = kept(...keeps.map(([h, p, under]): [string, string] => [p ? `${h}/${p}` : h, under]));
          const images = names.map(([h, p]) => `${h}/${p}:1`);
          const rules = rulesFor(images, r);
          for (const i of images) {
            const at = keptAt(i, r).repository;
            expect(whereFrom(i, rules)).toMatchObject({ endpoint, repository: at, reference: '1' });
            const files = hostsFiles(rules);
            const host = files.find((f) => f.source === i.split('/')[0]);
            if (host && !host.unsaid.length) expect(asks(i, files)).toBe(`${endpoint}/v2/${at}`);
          }
        },
      ),
      { numRuns: 500 },
    );
  });
  it.each([
    ['up', 'k', 'a registry, and a path'],
    ['up.example/', 'k', 'a registry, and a path'],
    ['up.example/../x', 'k', 'a registry, and a path'],
    ['up.example', '../k', 'a path of lower-case letters'],
    ['up.example', '/k', 'a path of lower-case letters'],
    ['up.example', 'K', 'a path of lower-case letters'],
  ])('is refused as %s below %s', (source, under, why) => {
    const r = Registry.safeParse({
      kind: 'Registry',
      name: 'r',
      site: 's',
      role: 'standing',
      endpoint,
      keeps: [{ source, under }],
    });
    expect(r.error?.issues[0]?.message).toContain(why);
  });
});
