import { describe, expect, it } from 'vitest';
import { bytesText, counted, gigabytesText } from './amounts.ts';

describe('amounts as people read them', () => {
  it.each([
    [0, '0 B'],
    [999, '999 B'],
    [32_200, '32.2 kB'],
    [64_400_000, '64.4 MB'],
    [999_499, '999 kB'],
    [999_600, '1.0 MB'],
    [8.9e9, '8.9 GB'],
    [3.84e12, '3.8 TB'],
  ])('%d bytes are %s', (n, text) => expect(bytesText(n)).toBe(text));
  it('a small disk is never 0.0 TB', () => expect([40, 480, 1920].map(gigabytesText)).toEqual(['40 GB', '480 GB', '1.9 TB']));
  it('one, several, none, and thousands', () => {
    expect([0, 1, 2, 2400].map((n) => counted(n, 'host'))).toEqual(['0 hosts', '1 host', '2 hosts', '2,400 hosts']);
    expect(counted(2, 'registry', 'registries')).toBe('2 registries');
  });
});
