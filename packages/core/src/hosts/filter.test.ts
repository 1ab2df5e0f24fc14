import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import { complete, hostFacts, hostFilter, judgeOf } from './index.ts';

const judge = judgeOf(goodEstate());
const hosts = [1, 2, 3, 4, 5, 6].map((i) => host(i)); // cores and memory: 16 and 64 up to lr-03, 32 and 128 from lr-04; zones B, C, A, B, C, A
hosts[1] = host(2, { state: 'held', held: { charter: 'plover', role: 'worker' } });
hosts[5] = { ...host(6), facts: undefined as never };
const found = (text: string) =>
  hosts
    .filter(hostFilter(text, judge).test)
    .map((h) => h.name.slice(-2))
    .join(' ');
const wrong = (text: string) => hostFilter(text, judge).wrong;

describe('the language of host filters', () => {
  it.each([
    ['', '01 02 03 04 05 06'],
    ['zone:B', '01 04'],
    ['zone:b,c', '01 02 04 05'],
    ['memory>=128', '04 05'],
    ['memory>=0.125TiB', '04 05'], // 0.125 × 1024 = 128 GiB
    ['memory<65GiB', '01 02 03'],
    ['fit:worker', '01 02 03 04 05'],
    ['-fit:worker', '06'],
    ['state:held', '02'],
    ['cluster:plover role:worker', '02'],
    ['-state:held cores>16', '04 05'],
    ['disk.nvme>=2 zone:A', '03'],
    ['disk>=1.9TB', '01 02 03 04 05'],
    ['link=25Gbit', '01 02 03 04 05'],
    ['cores:16,32', '01 02 03 04 05'],
    ['unit<=4', '01 02'],
    ['maker:"harrow works"', '01 02 03 04 05'],
    ['52:8a:1c:40:00:03', '03'],
    ['10.62.7.14', '04'],
    ['lr-05', '05'],
    ['is:guest', ''],
    ['is:measured', '01 02 03 04 05'],
  ])('%s finds %s', (text, names) => {
    expect(wrong(text)).toEqual([]);
    expect(found(text)).toBe(names);
  });
  it.each([
    ['zoen:B', { from: 0, to: 6, message: 'zoen is no fact; did you mean zone?' }],
    ['zone:B memory>=lots', { from: 7, to: 19, message: 'lots is no number for memory (units: gib, gb, tib, tb, mib)' }],
    ['zone>=B', { from: 0, to: 7, message: 'zone is a word and cannot be compared; write zone:b' }],
    ['fit:', { from: 0, to: 4, message: 'fit lacks a value behind :' }],
    ['cores:16,x', { from: 0, to: 10, message: 'x is no number for cores' }],
  ])('%s is told with its place', (text, where) => {
    expect(wrong(text)).toEqual([where]);
  });
  it('the rest of a filter holds when a word cannot be read', () => {
    expect(found('zoen:B memory>=128')).toBe('04 05');
  });
  it('never throws, whatever is typed, and places lie in the text', () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        const f = hostFilter(text, judge);
        for (const h of hosts) f.test(h);
        for (const w of f.wrong) expect(w.from >= 0 && w.to <= text.length && w.from < w.to).toBe(true);
        for (let i = 0; i <= text.length; i++) complete(text, i, hosts, ['worker']);
      }),
    );
  });
});

describe('completion', () => {
  const offers = (text: string, cursor = text.length) =>
    complete(text, cursor, hosts, ['control-plane', 'worker']).map((c) => c.text);
  it('offers facts, then their values, the most frequent first', () => {
    expect(offers('zo')).toEqual(['zone:']);
    expect(offers('mem')).toEqual(['memory>=']);
    expect(offers('zone:')).toEqual(['zone:A', 'zone:B', 'zone:C']);
    expect(offers('state:')).toEqual(['state:fit', 'state:held']);
    expect(offers('fit:w')).toEqual(['fit:worker']);
    expect(offers('-zone:A,')).toEqual(
      ['-zone:A,B', '-zone:A,C'].map((t) => t.toLowerCase().replace(',b', ',B').replace(',c', ',C')),
    );
    expect(offers('maker:')).toEqual(['maker:"Harrow Works"']);
  });
  it('is about the word at the cursor', () => {
    expect(complete('zo memory>=64', 2, hosts, [])).toEqual([{ text: 'zone:', from: 0, to: 2, about: 'failure domain' }]);
  });
  it('what it offers can be read', () => {
    for (const name of Object.keys(hostFacts)) for (const o of offers(`${name}:`)) expect(wrong(o)).toEqual([]);
  });
});
