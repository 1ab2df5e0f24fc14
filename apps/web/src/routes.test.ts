import { readFileSync } from 'node:fs';
import { readDocuments, words } from '@praesidor/core/model';
import { expect, it } from 'vitest';

const routes = readFileSync(new URL('./routes.tsx', import.meta.url), 'utf8');

it.each(['clusters', 'hosts'] as const)('no document of %s can have the name of a page beside theirs', (space) => {
  const pages = [...routes.matchAll(new RegExp(`path: '${space}/([a-z-]+)'`, 'g'))].map((m) => m[1] as string);
  expect(pages.sort()).toEqual([...words.pagesBeside[space]]);
  for (const name of pages) {
    const kind = space === 'clusters' ? 'Charter' : 'Host';
    const { faults } = readDocuments(`apiVersion: praesidor/v1\nkind: ${kind}\nname: ${name}\n`);
    expect(faults.find((f) => f.path === 'name')).toMatchObject({
      line: 3,
      message: `${name} is the name of a page of this application: take another one`,
    });
  }
});
