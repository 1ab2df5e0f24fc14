import { describe, expect, it } from 'vitest';
import { heldBy, joinBills, missing, parseReference, sizeOf, whereFrom } from './index.ts';
import { bytesText } from '../words/amounts.ts';

const d = (c: string) => `sha256:${c.repeat(64)}`;
const image = (ref: string, manifest: string, blobs: string[]) => ({
  ref,
  component: ref,
  on: 'node',
  digest: d(manifest),
  manifests: [d(manifest)],
  blobs: blobs.map(d),
});
const bill = {
  name: 'r',
  at: '2026-11-23T00:00:00Z',
  images: [image('a.example/x:1', '1', ['a', 'b']), image('a.example/y:1', '2', ['b', 'c'])],
  blobs: {
    [d('a')]: { bytes: 10, declaredBytes: 1000 },
    [d('b')]: { bytes: 20, declaredBytes: 2000 },
    [d('c')]: { bytes: 30, declaredBytes: 3000 },
  },
};

describe('bills', () => {
  it('count every blob once', () => {
    expect(sizeOf(bill)).toEqual({ blobs: 3, bytes: 60, declaredBytes: 6000 });
  });
  it('say what is missing and which images wait for it', () => {
    expect(missing(bill, new Set([d('1'), d('2'), d('a'), d('b')]))).toMatchObject({
      blobs: 1,
      bytes: 30,
      digests: [d('c')],
      manifests: [],
      images: ['a.example/y:1'],
    });
    expect(missing(bill, new Set([d('1'), d('a'), d('b'), d('c')]))).toMatchObject({
      blobs: 0,
      manifests: [d('2')],
      images: ['a.example/y:1'],
    });
    expect(missing(bill, new Set(['1', '2', 'a', 'b', 'c'].map(d))).images).toEqual([]);
  });
  it('an image is held only where it is answered to by its name, and not where all of it stands under another', () => {
    const digests = ['1', '2', 'a', 'b', 'c'].map(d);
    const seen = (names?: string[]) => heldBy({ at: '', digests, ...(names ? { names } : {}) }, undefined);
    expect(missing(bill, seen([`x:1@${d('1')}`, `y:2@${d('2')}`]))).toMatchObject({
      blobs: 0,
      manifests: [],
      images: ['a.example/y:1'],
    });
    expect(missing(bill, seen([`x:1@${d('1')}`, `y:1@${d('a')}`])).images).toEqual(['a.example/y:1']); // the tag moved
    expect(missing(bill, seen([`x:1@${d('1')}`, `y:1@${d('2')}`])).images).toEqual([]);
    expect(missing(bill, seen()).images).toEqual([]); // a registry that does not tell its names is believed
  });
  it('join without counting twice', () => {
    expect(sizeOf(joinBills('j', [bill, bill])).blobs).toBe(3);
  });
});

describe('image names', () => {
  it('are taken apart', () => {
    expect(parseReference('registry.lr:5000/core/api:1.34.2')).toEqual({
      registry: 'registry.lr:5000',
      repository: 'core/api',
      tag: '1.34.2',
    });
  });
  it.each([
    ['api:1', 'registry'],
    ['a.example/Core/api', 'repository'],
    ['a.example/x:-1', 'tag'],
    ['a.example/x@sha256:12', 'digest'],
    ['a.example/../etc', 'repository'],
  ])('%s is refused for its %s', (text, part) => {
    expect(() => parseReference(text)).toThrow(part);
  });
});

it('the longest rule decides where an image is pulled from', () => {
  const rules = [
    { source: 'a.example', mirror: 'm1:5000' },
    { source: 'a.example/core', mirror: 'm2:5000' },
  ];
  expect(whereFrom('a.example/core/api:1', rules)).toMatchObject({ endpoint: 'm2:5000', repository: 'api', reference: '1' });
  expect(whereFrom('a.example/corex/api:1', rules).endpoint).toBe('m1:5000');
  expect(whereFrom('b.example/x:1', rules)).toMatchObject({ endpoint: 'b.example' });
});

it.each([
  [0, '0 B'],
  [999, '999 B'],
  [41_000_000, '41 MB'],
  [8_700_000_000, '8.7 GB'],
  [999_700, '1.0 MB'],
])('%d bytes is %s', (n, text) => {
  expect(bytesText(n)).toBe(text);
});
