import { expect, it } from 'vitest';
import { coresOf } from './requested.ts';

it.each([
  ['250m', 0.25],
  ['2', 2],
  [1, 1],
  ['0.5', 0.5],
  ['1k', 1000],
  ['100u', 0.0001],
  [undefined, 0],
  ['much', 0],
  ['1Gi', 0],
] as const)('cores of %s: %s', (text, cores) => {
  expect(coresOf(text)).toBeCloseTo(cores, 9);
});
