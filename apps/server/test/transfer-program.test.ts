import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { expect, it } from 'vitest';
import { program } from '../src/transfer/program.ts';

it('several shipments that begin at once lay the program down whole, and leave nothing beside it', async () => {
  const dir = mkdtempSync(join(tmpdir(), 'praesidor-program-'));
  try {
    const paths = await Promise.all(Array.from({ length: 6 }, () => program(dir)));
    expect(new Set(paths).size).toBe(1);
    expect(readdirSync(dir)).toEqual([basename(paths[0] ?? '')]);
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
});
