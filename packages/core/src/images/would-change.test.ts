import { describe, expect, it } from 'vitest';
import { landingChanges } from './index.ts';

const d = (c: string) => `sha256:${c.repeat(64)}`;
const image = (repository: string, tag: string | undefined, digest: string) =>
  ({ repository, tag, digest, manifests: [] }) as never;
const registry = { name: 'lr-registry', keeps: [] } as never;
const bill = (name: string, ref: string, digest: string) => ({ name, images: [{ ref, digest, blobs: [] }] }) as never;

describe('what landing a shipment would change', () => {
  const of = (images: unknown[], bills: unknown[] = [], names: string[] = []) =>
    landingChanges({ images } as never, bills as never, registry, { names } as never);
  it('is a name that comes, one that is moved to another image, and one that stays', () => {
    expect(
      of(
        [image('core/api', '1', d('a')), image('core/dns', '1', d('b')), image('core/etc', '1', d('c'))],
        [],
        [`core/dns:1@${d('f')}`, `core/etc:1@${d('c')}`],
      ).map((c) => [c.image, c.what, c.before]),
    ).toEqual([
      ['core/api:1', 'adds', undefined],
      ['core/dns:1', 'moves', d('f')],
      ['core/etc:1', 'same', undefined],
    ]);
  });
  it('is held against the bills that are known here', () => {
    const bills = [bill('1.34.2', 'up.example/core/api:1', d('a')), bill('logs', 'up.example/core/dns:1', d('e'))];
    expect(of([image('core/api', '1', d('a'))], bills)[0]).toEqual({ image: 'core/api:1', digest: d('a'), what: 'adds' });
    expect(of([image('core/dns', '1', d('b'))], bills)[0]).toMatchObject({ bill: { name: 'logs', digest: d('e') } });
    expect(of([image('core/etc', '1', d('c'))], bills)[0]).toMatchObject({ unknown: true });
    // Without a tag nobody pulls it by name.
    expect(of([image('core/etc', undefined, d('c'))], bills)[0]).not.toHaveProperty('unknown');
  });
});
