import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import type { Charter, Estate, Host, Release } from '../model/index.ts';
import { changeDue, onItsWay, wayTo } from './index.ts';

/** plover wants 1.34.2; its hosts have what is said, in their order. */
function standing(...has: (string | undefined)[]): Estate {
  const e = goodEstate();
  const [now] = e.releases as [Release];
  e.releases = ['1.31.4', '1.32.9', '1.33.1', '1.33.6'].map((v) => ({ ...now, name: v, version: v })).concat(now);
  const nodes = resolve(e.charters[0] as Charter, e).nodes;
  e.hosts = e.hosts.map((h) => {
    const at = nodes.findIndex((n) => n.host === h.name);
    const release = has[at] ?? has[0];
    return at < 0
      ? h
      : ({ ...h, state: 'serving', held: { charter: 'plover', role: nodes[at]?.role, ...(release ? { release } : {}) } } as Host);
  });
  return e;
}

describe('the way to a release', () => {
  it.each<[string, (string | undefined)[], string[]]>([
    ['one minor version', ['1.33.6'], ['1.34.2']],
    ['two: over the latest of the one between', ['1.32.9'], ['1.33.6', '1.34.2']],
    ['three', ['1.31.4'], ['1.32.9', '1.33.6', '1.34.2']],
    ['there already', ['1.34.2'], ['1.34.2']],
    ['nobody knows what hosts have', [undefined], ['1.34.2']],
    // Some had the first step, then it broke off: those behind go first.
    ['hosts of two releases', ['1.33.6', '1.33.6', '1.32.9'], ['1.33.6', '1.34.2']],
    ['some are there, some two behind', ['1.34.2', '1.32.9'], ['1.33.6', '1.34.2']],
  ])('%s', (_, has, way) => {
    expect(wayTo(standing(...has).charters[0] as Charter, standing(...has))).toEqual(way);
  });
  it('is the last alone where no releases lead there', () => {
    const e = standing('1.32.9');
    e.releases = e.releases.filter((r) => !r.name.startsWith('1.33'));
    expect(wayTo(e.charters[0] as Charter, e)).toEqual(['1.34.2']);
  });
});

describe('the next change of a cluster that is two releases behind', () => {
  it('is the step to the one between, and says what follows', () => {
    const { estate, charter, further } = onItsWay('plover', standing('1.32.9'));
    const due = changeDue(resolve(charter as Charter, estate), estate, undefined, {
      files: new Map(),
      manifests: [],
      certificates: new Map(),
      further,
    });
    expect([due?.kind, due?.title, due?.further, due?.refused]).toEqual([
      'upgrade',
      'Upgrade plover to 1.33.6, on the way to 1.34.2',
      ['1.34.2'],
      [],
    ]);
  });
  it('takes those that are behind, and leaves the others where they are', () => {
    const { estate, charter, further } = onItsWay('plover', standing('1.33.6', '1.33.6', '1.32.9', '1.33.6', '1.33.6', '1.33.6'));
    const due = changeDue(resolve(charter as Charter, estate), estate, undefined, {
      files: new Map(),
      manifests: [],
      certificates: new Map(),
      further,
    });
    expect([due?.joins, due?.refused]).toEqual([['lr-03'], []]);
  });
});
