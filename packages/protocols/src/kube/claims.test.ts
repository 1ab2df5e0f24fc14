import { expect, it } from 'vitest';
import { bytesOf } from './claims.ts';

it('quantities are bytes: by thousands, and by 1,024', () => {
  expect(['10G', '10Gi', '1.5k', '7', '3Ti', undefined, 'many', '10 GB'].map(bytesOf)).toEqual([
    10e9, 10_737_418_240, 1500, 7, 3_298_534_883_328, 0, 0, 0,
  ]);
});
