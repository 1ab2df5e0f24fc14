import { describe, expect, it } from 'vitest';
import { host } from '../../../../../packages/core/test/estate.ts';
import { hostFilter } from './filter.ts';

const hosts = [1, 2, 3, 4, 5, 6].map((i) => host(i));
const found = (text: string) => hosts.filter(hostFilter(text).test).map((h) => h.name);

describe('filtering by facts', () => {
  it.each([
    ['', ['lr-01', 'lr-02', 'lr-03', 'lr-04', 'lr-05', 'lr-06']],
    ['zone:A', ['lr-03', 'lr-06']],
    ['zone:A,B', ['lr-01', 'lr-03', 'lr-04', 'lr-06']],
    ['memory>=128', ['lr-04', 'lr-05', 'lr-06']],
    ['cores<32 zone:c', ['lr-02']],
    ['fit:registry', ['lr-01', 'lr-02', 'lr-03', 'lr-04', 'lr-05', 'lr-06']],
    ['hw5', ['lr-05']],
    ['52:8a:1c:40:00:04', ['lr-04']],
    ['10.62.7.13', ['lr-03']],
    ['state:serving', []],
  ])('%j', (text, names) => {
    expect(found(text)).toEqual(names);
  });
  it('names what is not a fact, and what there is', () => {
    expect(hostFilter('zoen:A').wrong[0]).toContain('zoen (there are zone, rack, state');
    expect(hostFilter('zone:A').wrong).toEqual([]);
  });
});
