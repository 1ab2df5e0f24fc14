import { describe, expect, it } from 'vitest';
import type { Change } from '../model/difference.ts';
import type { Doc } from '../model/documents.ts';
import { authorize, type Difference, type Principal, system } from './authorize.ts';
import { askedBy, type FourEyes, fourEyesOf } from './four-eyes.ts';

const doc = (kind: string, more: object) => ({ apiVersion: 'praesidor/v1', kind, name: 'x', ...more }) as unknown as Doc;
const change = (before: Doc | null, after: Doc | null, key = 'x'): Change => ({
  kind: (before ?? after)?.kind ?? 'Network',
  key,
  before,
  after,
});
const eyes: FourEyes = { sites: ['aft'], teams: ['radar'] };
const rosa: Principal = { kind: 'person', login: 'rosa', role: 'warden' };
const asked = (
  c: Change,
  more: Partial<Difference> = {},
  who: Principal = rosa,
  act: 'plan.edit' | 'charters.save' | 'hosts.state' = 'plan.edit',
) => {
  const d = authorize(who, act, { changes: [c], via: 'hand', keys: [], eyes, ...more });
  return d.allowed ? 'yes' : d.code;
};

describe('a second person', () => {
  it('is asked for by the site or the team that says so', () => {
    const estate = { sites: [{ name: 'a' }, { name: 'b', fourEyes: true }], teams: [{ name: 't', fourEyes: true }] };
    expect(fourEyesOf(estate as never)).toEqual({ sites: ['b'], teams: ['t'] });
    expect(askedBy({ sites: ['a', 'b'], teams: [] }, { sites: ['b'], teams: [] })).toBe('the site b');
    expect(askedBy({ sites: ['a'], teams: ['t'] }, { sites: ['b'], teams: ['t'] })).toBe('the team t');
    expect(askedBy({ sites: ['a'], teams: [] }, { sites: ['b'], teams: ['t'] })).toBeUndefined();
  });
  it.each([
    ['of what is there', change(doc('Network', { site: 'aft' }), doc('Network', { site: 'aft', mtu: 9000 }))],
    ['of what comes there', change(null, doc('Network', { site: 'aft' }))],
    ['of what goes from there', change(doc('Network', { site: 'aft' }), null)],
    ['of what is moved away', change(doc('Network', { site: 'aft' }), doc('Network', { site: 'fore' }))],
    [
      'of the site itself, also where it asks no longer then',
      change(doc('Site', { name: 'aft', fourEyes: true }), doc('Site', { name: 'aft' }), 'aft'),
    ],
    ['of the team itself', change(doc('Team', { name: 'radar', fourEyes: true }), doc('Team', { name: 'radar' }), 'radar')],
    [
      'of a cluster of the team',
      change(doc('Charter', { site: 'fore', team: 'radar' }), doc('Charter', { site: 'fore', team: 'radar', purpose: 'p' })),
    ],
    [
      'of a cluster that is taken out of the team',
      change(doc('Charter', { site: 'fore', team: 'radar' }), doc('Charter', { site: 'fore' })),
    ],
  ])('has to approve each change %s, a warden’s too', (_, c) => {
    expect(asked(c)).toBe('four-eyes');
    expect(asked(c, { approved: true })).toBe('yes');
    expect(asked(c, { via: 'record' })).toBe('four-eyes');
    expect(asked(c, {}, system())).toBe('yes');
  });
  it('has nothing to do with what is elsewhere, or with an act that has guards of its own', () => {
    expect(asked(change(null, doc('Network', { site: 'fore' })))).toBe('yes');
    const aft = change(doc('Network', { site: 'aft' }), null);
    expect(asked(aft, { via: 'act' }, rosa, 'hosts.state')).toBe('yes');
    // To delete a charter is an act, and changes the plan.
    expect(asked(aft, { via: 'act' }, rosa, 'charters.save')).toBe('four-eyes');
  });
  it('is asked of addresses and records where their network and their zone are', () => {
    const siteOf = { network: (n: string) => (n === 'aft-net' ? 'aft' : undefined), zone: () => 'fore' };
    const r = change(null, doc('Reservation', { network: 'aft-net', address: '10.0.0.1' }), 'aft-net/10.0.0.1');
    expect(asked(r, { siteOf })).toBe('four-eyes');
    expect(asked(change(null, doc('Record', { zone: 'z', name: 'a', type: 'A', value: '10.0.0.1' }), 'k'), { siteOf })).not.toBe(
      'four-eyes',
    );
  });
  it('is not asked before somebody may do it at all', () => {
    const reader: Principal = { kind: 'person', login: 'rui', role: 'reader' };
    expect(asked(change(null, doc('Network', { site: 'aft' })), {}, reader)).toBe('not-allowed');
  });
});
