import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import type { Bill, Registry, SeenCertificate, SeenRegistry } from '../model/index.ts';
import { askedImages, behind, certificateFault } from './index.ts';

const d = (c: string) => `sha256:${c.repeat(64)}`;
const image = (ref: string, manifest: string, blobs: string[]) => ({
  ref,
  component: ref,
  on: 'node',
  digest: d(manifest),
  manifests: [d(manifest)],
  blobs: blobs.map(d),
});
const bill = (name: string, images: ReturnType<typeof image>[], sizes: Record<string, number>): Bill => ({
  name,
  at: '2026-11-23T00:00:00Z',
  images,
  blobs: Object.fromEntries(Object.entries(sizes).map(([k, declaredBytes]) => [d(k), { bytes: 1, declaredBytes }])),
});

describe('registries that are behind', () => {
  const estate = goodEstate();
  const [charter] = estate.charters;
  if (!charter) throw new Error('the estate has a charter');
  const names = ['whole', 'short', 'shorter', 'silent', 'unasked', 'never'];
  const registries = names.map(
    (name): Registry => ({
      ...(estate.registries.find((r) => r.role !== 'source') as Registry),
      name,
      endpoint: `${name}.example:5000`,
    }),
  );
  estate.registries = registries;
  estate.charters = names
    .filter((n) => n !== 'unasked')
    .map((n) => ({ ...charter, name: `c-${n}`, mirror: n, release: 'r', addons: ['a', 'unwalked'] }));
  // r: x and y of 1000 each; a: y and z of 10: together 2010, y once.
  estate.observed.bills = {
    r: bill('r', [image('up.example/x:1', '1', ['a', 'b'])], { a: 1000, b: 1000 }),
    a: bill('a', [image('up.example/z:1', '2', ['b', 'c'])], { b: 1000, c: 10 }),
  };
  const seen = (held: string[], more: Partial<SeenRegistry> = {}): SeenRegistry => ({ at: '', digests: held.map(d), ...more });
  estate.observed.registries = {
    whole: seen(['1', '2', 'a', 'b', 'c']),
    short: seen(['1', '2', 'a', 'b']),
    shorter: seen(['1', '2', 'c']),
    // Out of reach for the moment: it still holds what it held.
    silent: seen(['1', '2', 'a', 'b', 'c'], { error: 'it does not answer' }),
    never: seen([], { error: 'nothing listens there' }),
    unasked: seen([]),
  };
  it('stand with the furthest behind first, then those of which nothing is known, then by name', () => {
    expect(behind(estate, registries).map((b) => [b.registry.name, b.short, b.of, b.unknown])).toEqual([
      ['shorter', 2000, 2010, false],
      ['short', 10, 2010, false],
      ['never', 0, 2010, true],
      ['silent', 0, 2010, false],
      ['unasked', 0, 0, false],
      ['whole', 0, 2010, false],
    ]);
  });
  it('are asked for what their charters name, whether it was walked yet or not', () => {
    const [first] = behind(estate, registries);
    expect(first?.wanted).toEqual(['r', 'a', 'unwalked']);
    expect(behind(estate, registries).find((b) => b.registry.name === 'unasked')?.wanted).toEqual([]);
  });
});

describe('what a registry is asked for', () => {
  const bills = [
    bill('one', [image('up.example/core/x:1', '1', ['a']), image(`up.example/core/y@${d('3')}`, '3', ['b'])], {}),
    bill('two', [image('up.example/core/x:1', '1', ['a']), image('up.example/core/x:1', '2', ['a'])], {}),
  ];
  it('is each image once, where it is kept there; the same name with another digest is another image', () => {
    const keeps = { keeps: [{ source: 'up.example/core', under: 'k' }] };
    expect(askedImages(bills, keeps).map((i) => [i.repository, i.tag, i.digest.slice(7, 8)])).toEqual([
      ['k/x', '1', '1'],
      ['k/y', undefined, '3'],
      ['k/x', '1', '2'],
    ]);
  });
});

describe('the certificate that a registry shows', () => {
  const good: SeenCertificate = {
    subject: 'depot',
    issuer: 'Room CA',
    names: ['depot.example', '10.0.0.9'],
    notBefore: '2026-01-01T00:00:00Z',
    notAfter: '2027-01-01T00:00:00Z',
    fingerprint: '',
    trusted: true,
  };
  const at = (endpoint: string, ca?: string) => ({ endpoint, ...(ca ? { ca } : {}) });
  it.each([
    [good, at('depot.example:5000', 'pem'), '2026-11-27T00:00:00Z', undefined],
    [good, at('10.0.0.9:5000', 'pem'), '2026-11-27T00:00:00Z', undefined],
    [good, at('other.example:5000', 'pem'), '2026-11-27T00:00:00Z', 'it is for depot.example, 10.0.0.9'],
    [{ ...good, names: [] }, at('depot.example:5000', 'pem'), '2026-11-27T00:00:00Z', 'it is for depot'],
    // At the very second of its end it is over.
    [good, at('depot.example:5000', 'pem'), '2027-01-01T00:00:00Z', 'it ended on 2027-01-01'],
    [{ ...good, trusted: false }, at('depot.example:5000', 'pem'), '2026-11-27T00:00:00Z', 'Room CA is not in the trust given'],
    [
      { ...good, trusted: false },
      at('depot.example:5000'),
      '2026-11-27T00:00:00Z',
      'no certificate authority is declared for it',
    ],
  ])('case %#', (c, registry, now, text) => {
    expect(certificateFault(c, registry, now)?.text).toBe(text);
  });
});
