import { expect, it } from 'vitest';
import { quantityOf } from './requested.ts';

it.each([
  ['250m', 0.25],
  ['2', 2],
  [1, 1],
  ['0.5', 0.5],
  ['1k', 1000],
  ['100u', 0.0001],
  ['2Gi', 2 * 1024 ** 3],
  ['512Mi', 512 * 1024 ** 2],
  ['128M', 128e6],
  ['1e3', 1000],
  ['2E', 2e18],
  [undefined, 0],
  ['much', 0],
] as const)('the value of %s: %s', (text, value) => {
  expect(quantityOf(text)).toBeCloseTo(value, 9);
});
