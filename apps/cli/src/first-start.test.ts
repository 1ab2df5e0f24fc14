import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { describe, expect, it } from 'vitest';

const scripts = join(import.meta.dirname, '../../../scripts');
/** What a script loads before it runs: itself and its own modules, and the packages of others that any of them names. */
function loads(file: string, seen = new Set<string>()): string[] {
  if (seen.has(file)) return [];
  seen.add(file);
  const named = [...readFileSync(file, 'utf8').matchAll(/^(?:import|export) (?:[^;]*? from )?'([^']+)';/gms)].map(
    (m) => m[1] ?? '',
  );
  return named.flatMap((n) => (n.startsWith('.') ? loads(join(dirname(file), n), seen) : n.startsWith('node:') ? [] : [n]));
}

describe('a command that installs packages', () => {
  it.each(['demo.mjs', 'start.mjs', 'test.mjs'])('%s loads none of them first: a fresh clone has none', (script) => {
    expect(loads(join(scripts, script))).toEqual([]);
  });
});
