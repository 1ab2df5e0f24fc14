import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../../test/estate.ts';
import { aboutField, offersAt, placeIn, shapeAt } from './index.ts';

/** A text with `|` where somebody is. */
const at = (marked: string) => placeIn(marked.replace('|', ''), marked.indexOf('|'));
const charter = (rest: string) => `kind: Charter\nname: plover\nsite: lr\n${rest}`;

describe('where somebody is in a text', () => {
  it.each<[string, (string | number)[], 'name' | 'value', string]>([
    [charter('rel|'), [], 'name', 'rel'],
    [charter('release: 1.3|'), ['release'], 'value', '1.3'],
    [charter('controlPlane:\n  co|'), ['controlPlane'], 'name', 'co'],
    [charter('controlPlane:\n  count: 3\n  |'), ['controlPlane'], 'name', ''],
    [charter('overlay: {kind: gen|'), ['overlay', 'kind'], 'value', 'gen'],
    [charter('overlay: {kind: geneve, m|}'), ['overlay'], 'name', 'm'],
    [charter('pools:\n  - name: archive\n    co|'), ['pools', 0], 'name', 'co'],
    [charter('pools:\n  - name: archive\n    count: 1\n  - na|'), ['pools', 1], 'name', 'na'],
    [charter('pools:\n  - name: archive\n    needs:\n      - fact: co|'), ['pools', 0, 'needs', 0, 'fact'], 'value', 'co'],
    [charter('addons: [inbound-router, lo|]'), ['addons', 1], 'value', 'lo'],
    [charter('servicePool: {peers: [{address: 10.0.0.1, a|'), ['servicePool', 'peers', 0], 'name', 'a'],
    [charter('# a comment\ntimers:\n  # another\n  gr|'), ['timers'], 'name', 'gr'],
    [`kind: Site\nname: lr\n---\n${charter('machineNetwork: |')}\n---\nkind: Zone\n`, ['machineNetwork'], 'value', ''],
  ])('%j', (text, path, what, typed) => {
    const place = at(text);
    expect([place?.path, place?.at, place?.typed]).toEqual([path, what, typed]);
  });
  it('is nowhere without a kind, or with one that is none', () => {
    expect(at('name: plo|')).toBeUndefined();
    expect(at('kind: Chartr\nna|')).toBeUndefined();
  });
});

describe('what can be written there', () => {
  const offers = (text: string) => {
    const place = at(text);
    return place ? offersAt(place, goodEstate(), { site: 'lr' }).map((o) => o.text) : [];
  };
  it('names of fields that are not there yet, with what each is', () => {
    const names = offers(charter('|'));
    expect(names).toContain('release');
    expect(names).not.toContain('site');
    expect(offers(charter('overlay: {kind: geneve, |'))).toEqual(['mtu']);
    expect(offers(charter('pools:\n  - name: archive\n    |'))).toContain('taints');
    expect(offers(charter('pools:\n  - name: archive\n    |'))).not.toContain('name');
    // What is kept by acts is not for anybody to write.
    expect(names).not.toContain('template');
  });
  it('values that a field takes: choices, and what stands in the estate', () => {
    expect(offers(charter('overlay: {kind: |'))).toContain('wireguard');
    expect(offers(charter('machineNetwork: |'))).toEqual(['lr-machine']);
    expect(offers(charter('release: |'))).toEqual(['1.34.2']);
    expect(offers(charter('purpose: |'))).toEqual([]);
  });
  it('what a field is, in sentences', () => {
    const { field } = shapeAt('Charter', ['timers', 'grace']);
    expect(field && aboutField(field)).toBe('Counts as lost after, seconds.');
    const most = shapeAt('Charter', ['pods', 'most']).field;
    expect(most && aboutField(most)).toBe('Pods per node, at most. Usually 110.');
  });
});
