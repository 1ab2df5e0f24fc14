import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { HostState } from '../model/documents.ts';
import { meaningOf, ownWords } from './index.ts';

const docs = readFileSync(new URL('../../../../docs/words.md', import.meta.url), 'utf8');

describe('own words', () => {
  it('are those of docs/words.md, in the same words', () => {
    const listed = [...docs.matchAll(/^\| \*\*(.+?)\*\* \| (.+) \|$/gm)].map((m) => [m[1], m[2]]);
    expect(listed).toEqual(Object.entries(ownWords));
  });
  it('are explained in one plain line each', () => {
    for (const line of Object.values(ownWords)) {
      expect(line).toMatch(/^[a-z]/);
      expect(line).not.toMatch(/\.$/);
      expect(line.length).toBeLessThan(90);
    }
  });
  it('have every state of a host among them', () => {
    for (const state of HostState.options) expect(meaningOf(state), state).toBeDefined();
  });
  it('are found in the plural and with a capital, and no other word is', () => {
    expect(meaningOf('Moulds')).toBe(ownWords.mould);
    expect(meaningOf('Proving ground')).toBe(ownWords['proving ground']);
    expect([meaningOf('Names'), meaningOf('constructor'), meaningOf('')]).toEqual([undefined, undefined, undefined]);
  });
});
