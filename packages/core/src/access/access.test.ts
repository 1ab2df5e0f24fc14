import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { type Change, type Doc, kinds, type Kind, keysAt, readDocuments } from '../model/index.ts';
import { keyOf } from '../model/estate.ts';
import {
  type ActName,
  actNames,
  acts,
  actsTable,
  authorize,
  credentialOf,
  fieldsTable,
  keptBack,
  keysNamedIn,
  type KeyringEntry,
  may,
  mayName,
  placeFault,
  roleAnywhere,
  roleAt,
  roles,
  system,
  tokenActsOf,
  tokenLooks,
} from './index.ts';

const person = (role: (typeof roles)[number]) =>
  ({ kind: 'person', login: role.slice(0, 3), role, teams: ['aboard', 'ticketing', 'vessel-traffic'] }) as const;
const demo = join(import.meta.dirname, '../../../../demo/estate');
const docs = readdirSync(demo).flatMap((f) => readDocuments(readFileSync(join(demo, f), 'utf8'), f).docs.map((d) => d.doc));
const host = (more: object = {}): Doc =>
  ({ apiVersion: 'praesidor/v1', kind: 'Host', name: 'bw-99', site: 'bw', state: 'listed', ...more }) as Doc;
const change = (before: Doc | null, after: Doc | null): Change => {
  const doc = (after ?? before) as Doc;
  return { kind: doc.kind, key: keyOf((before ?? after) as Doc), before, after };
};
const edits = (role: (typeof roles)[number], before: Doc | null, after: Doc | null, via: 'hand' | 'act' | 'record' = 'hand') =>
  authorize(person(role), 'plan.edit', { changes: [change(before, after)], via, keys: [] });

describe('who may do what', () => {
  it.each(actNames.flatMap((a) => roles.map((r) => [a, r] as const)))('%s by %s is as the catalogue has it', (act, role) => {
    const d = authorize(person(role), act as ActName);
    expect(d.allowed).toBe(roles.indexOf(role) >= roles.indexOf(acts[act as ActName].role));
    if (!d.allowed) expect(d.message).toContain(`is ${role}`);
  });
  it.each(actNames)('%s by a token is as its person may, where it was made for that, and never else', (act) => {
    for (const role of roles) {
      const token = (made: readonly string[]) =>
        ({ kind: 'token', login: role.slice(0, 3), role, name: 'nightly', acts: made }) as const;
      expect(authorize(token([act]), act)).toEqual(authorize(person(role), act));
      const other = authorize(token(actNames.filter((a) => a !== act)), act);
      expect(other).toMatchObject({
        allowed: false,
        code: 'not-allowed',
        message: expect.stringMatching(/^The token nightly of \w+ was not made to /),
      });
    }
  });
  it('nobody makes a token for accounts, for tokens, to be a second person, or for more than they may', () => {
    for (const role of roles) {
      const made = tokenActsOf(role);
      expect(made.filter((a) => ['account.own', 'accounts.manage', 'proposals.approve'].includes(a))).toEqual([]);
      expect(made.every((a) => may(person(role), a))).toBe(true);
    }
    expect(tokenActsOf('warden').length).toBe(actNames.length - 3);
    expect(tokenLooks.every((a) => tokenActsOf('reader').includes(a))).toBe(true);
  });
  it('the installation itself is asked nothing', () => {
    expect(actNames.every((a) => may(system(), a))).toBe(true);
  });
  it('connecting to something outside takes a builder at least', () => {
    for (const a of actNames.filter((x) => /connect|sweep|accept|control|send|run|cast|work|take|verify|clean/.test(x)))
      expect([a, ['builder', 'warden'].includes(acts[a].role)]).toEqual([a, true]);
  });
  it('the docs show the table as it is', () => {
    const text = readFileSync(join(import.meta.dirname, '../../../../docs/security.md'), 'utf8');
    expect(text).toContain(actsTable());
    expect(text).toContain(fieldsTable());
  });
});

/** Every leaf of a kind's schema, by path; through records and lists to their first element. */
function leaves(kind: Kind): string[][] {
  const out: string[][] = [];
  const walk = (path: string[]) => {
    const keys = keysAt(kinds[kind], path);
    if (!keys.length || path.length > 4) out.push(path);
    else for (const k of keys) walk([...path, k]);
  };
  for (const k of keysAt(kinds[kind], [])) walk([k]);
  return out;
}
/** What a role may change by hand: written out here once more, apart from the rules. */
const expected = (kind: Kind, path: string[]): string => {
  // A team that nobody is in: its clusters are changed by wardens alone.
  if (kind === 'Site' || kind === 'Team' || (kind === 'Charter' && path[0] === 'team')) return 'warden';
  const top = `${kind}.${path[0]}`;
  if (['Host.state', 'Host.held', 'Host.drained', 'Host.wiped'].includes(top)) return 'nobody';
  const sends = [
    'Host.bmc',
    'Hypervisor.endpoint',
    'Hypervisor.ca',
    'Hypervisor.credential',
    'Registry.endpoint',
    'Registry.ca',
    'Registry.credential',
    'Zone.primary',
    'Zone.key',
  ];
  return sends.includes(top) ? 'builder' : 'planner';
};

describe('every field of every kind, by every role', () => {
  for (const kind of Object.keys(kinds) as Kind[])
    it(kind, () => {
      const standing = docs.find((d) => d.kind === kind) ?? ({ apiVersion: 'praesidor/v1', kind, name: 'x' } as unknown as Doc);
      const paths = leaves(kind).filter((p) => !['kind', 'apiVersion'].includes(p[0] as string));
      expect(paths.length).toBeGreaterThan(2);
      for (const path of paths) {
        const after = structuredClone(standing) as unknown as Record<string, unknown>;
        let at = after;
        for (const k of path.slice(0, -1)) {
          if (at[k] === null || typeof at[k] !== 'object' || Array.isArray(at[k])) at[k] = {};
          at = at[k] as Record<string, unknown>;
        }
        at[path.at(-1) as string] = 'otherwise';
        const named = keyOf(after as unknown as Doc) !== keyOf(standing);
        for (const role of roles) {
          const d = authorize(person(role), 'plan.edit', {
            changes: [{ kind, key: keyOf(standing), before: standing, after: after as unknown as Doc }],
            via: 'hand',
            keys: [],
          });
          const needs = expected(kind, path);
          const should = !named && needs !== 'nobody' && roles.indexOf(role) >= roles.indexOf(needs as 'planner');
          expect([kind, path.join('.'), role, d.allowed]).toEqual([kind, path.join('.'), role, should]);
        }
      }
    });
});

describe('what a difference takes', () => {
  const bmc = { address: '10.40.7.9', credential: 'bmc-bw' };
  const pinned = { ...bmc, fingerprint: Array(32).fill('AB').join(':') };
  it('a document cannot become one of another kind or name, whoever asks', () => {
    const site = docs.find((d) => d.kind === 'Site') as Doc;
    const charter = docs.find((d) => d.kind === 'Charter') as Doc;
    expect(
      authorize(person('warden'), 'plan.edit', {
        changes: [{ kind: 'Charter', key: 'tern', before: charter, after: site }],
        via: 'hand',
      }),
    ).toMatchObject({ code: 'invalid' });
    expect(edits('warden', host(), host({ name: 'bw-98' }))).toMatchObject({ code: 'invalid' });
  });
  it('a new host may name its controller; to pin it, or to change it, takes a builder', () => {
    expect(edits('planner', null, host({ bmc })).allowed).toBe(true);
    expect(edits('planner', null, host({ bmc: pinned })).allowed).toBe(false);
    expect(edits('builder', null, host({ bmc: pinned })).allowed).toBe(true);
    expect(edits('planner', host({ bmc }), host({ bmc: { ...bmc, address: '10.40.7.66' } })).allowed).toBe(false);
    expect(edits('planner', host({ bmc: pinned }), null).allowed).toBe(false);
    expect(edits('planner', host({ bmc }), null).allowed).toBe(true);
  });
  it('states are reached by acts and put back by undoing them; declaring one takes a warden', () => {
    const serving = host({ state: 'serving', held: { charter: 'tern', role: 'worker' } });
    for (const role of roles.slice(1)) expect(edits(role, host(), serving)).toMatchObject({ allowed: false, code: 'not-now' });
    expect(edits('planner', host(), serving, 'act').allowed).toBe(true);
    expect(edits('planner', serving, host(), 'record').allowed).toBe(true);
    expect([edits('builder', null, serving).allowed, edits('warden', null, serving).allowed]).toEqual([false, true]);
  });
  it.each(['sighted', 'listed', 'fit'] as const)(
    'a host that stands is not made %s by hand, and a new one may be declared so',
    (state) => {
      const serves = host({ state: 'serving', held: { charter: 'plover', role: 'worker' } });
      for (const role of roles) expect(edits(role, serves, { ...serves, state } as Doc).allowed).toBe(false);
      expect(edits('planner', null, host({ state })).allowed).toBe(true);
    },
  );
  it('undoing what a builder did takes a builder', () => {
    expect(edits('planner', host({ bmc: pinned }), host({ bmc }), 'record').allowed).toBe(false);
  });
});

describe('where a credential may be sent', () => {
  const entry = (places: string[], use = 'registry'): KeyringEntry => ({ name: 'k', use, places });
  const to = { use: 'registry', document: 'Registry lr-registry', host: 'registry.lr.example' } as const;
  it.each([
    ['its document', ['Registry lr-registry'], true],
    ['another document', ['Registry bw-registry'], false],
    ['its name', ['registry.lr.example'], true],
    ['names below', ['*.lr.example'], true],
    ['names below another', ['*.r.example'], false],
    ['a name that merely ends alike', ['lr.example'], false],
    ['nothing', [], false],
    ['what cannot be read', ['../x', ''], false],
  ])('%s', (_, places, allowed) => {
    expect(keptBack(entry(places), to) === undefined).toBe(allowed);
  });
  it('goes by prefix for addresses, of both versions', () => {
    const at = (address: string) => ({ use: 'bmc', address }) as const;
    expect(keptBack(entry(['10.62.7.0/24'], 'bmc'), at('10.62.7.255'))).toBeUndefined();
    expect(keptBack(entry(['10.62.7.0/24'], 'bmc'), at('10.62.8.0'))).toContain('may not be sent to 10.62.8.0');
    expect(keptBack(entry(['fd00:62::/64'], 'bmc'), at('fd00:62::12'))).toBeUndefined();
    expect(keptBack(entry(['0.0.0.0/0'], 'bmc'), at('fd00:62::12'))).toBeDefined();
  });
  it('is refused with the name and the document that it was for, and with the places that it has', () => {
    expect(keptBack(entry(['a.example', '10.0.0.0/8']), to)).toBe(
      'k may not be sent to registry.lr.example (Registry lr-registry): its places are a.example, 10.0.0.0/8',
    );
    expect(keptBack(entry([]), { use: 'registry' })).toBe(
      'k may not be sent to a place without a name: no places are set for it',
    );
  });
  it.each([
    [host({ bmc: { address: '10.40.7.99', credential: 'bmc-bw' } }), 'bmc-bw', 'bmc', 'Host bw-99', { address: '10.40.7.99' }],
    [
      { kind: 'Hypervisor', name: 'hv', endpoint: '[fd00::1]:8443', credential: 'hv-bw' },
      'hv-bw',
      'hypervisor',
      'Hypervisor hv',
      { host: 'fd00::1' },
    ],
    [
      { kind: 'Registry', name: 'r', endpoint: 'R.Example:5000', credential: 'reg' },
      'reg',
      'registry',
      'Registry r',
      { host: 'r.example' },
    ],
    [
      { kind: 'Zone', name: 'z.example', primary: '10.0.0.53', key: 'dns' },
      'dns',
      'tsig',
      'Zone z.example',
      { address: '10.0.0.53' },
    ],
  ] as const)('%o names an entry and where it goes', (doc, name, use, document, where) => {
    expect(credentialOf(doc as Doc)).toEqual({ entry: name, path: expect.any(String), use, document, ...where });
    expect(keysNamedIn([doc as Doc])).toEqual([{ name, use, places: [document] }]);
  });
  it('is named by no document that names none', () => {
    for (const doc of [host(), { kind: 'Registry', name: 'r', endpoint: 'r.example' }, { kind: 'Site', name: 's' }])
      expect(credentialOf(doc as Doc)).toBeUndefined();
  });
  it('is for one use', () => {
    expect(keptBack(entry(['0.0.0.0/0', 'Registry lr-registry'], 'bmc'), to)).toBe('k is for use bmc, not for registry');
  });
  it('a planner names it only where it is sent anyway, whatever the document is called', () => {
    const registry = (endpoint: string, credential = 'k'): Doc =>
      ({
        apiVersion: 'praesidor/v1',
        kind: 'Registry',
        name: 'lr-registry',
        site: 'lr',
        role: 'starter',
        endpoint,
        credential,
      }) as Doc;
    const keys = [entry(['Registry lr-registry', '*.lr.example'])];
    expect(mayName('planner', null, registry('registry.lr.example:5000'), keys)).toBeUndefined();
    expect(mayName('planner', null, registry('evil.example:5000'), keys)?.message).toContain('may not be sent to evil.example');
    expect(mayName('builder', null, registry('evil.example:5000'), keys)).toBeUndefined();
    const same = registry('evil.example:5000');
    expect(mayName('planner', same, { ...same, diskGB: 5 } as Doc, keys)).toBeUndefined();
  });
  it('places that cannot be read are said', () => {
    expect(['Registry lr-registry', '*.lr.example', '10.0.0.0/8', 'fd00::/8', '10.62.7.9'].map(placeFault)).toEqual(
      Array(5).fill(undefined),
    );
    for (const bad of ['', 'a b c', '10.0.0.0/40', '*.', 'UPPER', '300.1.1.1/24', 'a..b'])
      expect([bad, placeFault(bad)]).toEqual([bad, expect.any(String)]);
  });
});

describe('a document that names a credential', () => {
  const keys = [{ name: 'k', use: 'registry', places: ['registry.lr.example'] }];
  const registry = (endpoint: string): Doc =>
    ({ apiVersion: 'praesidor/v1', kind: 'Registry', name: 'r', site: 'lr', role: 'standing', endpoint, credential: 'k' }) as Doc;
  it('is refused to a planner by every door where the entry may not go there', () => {
    const ask = (endpoint: string) =>
      authorize(person('planner'), 'plan.edit', { changes: [change(null, registry(endpoint))], via: 'hand', keys });
    expect(ask('registry.lr.example:5000')).toEqual({ allowed: true });
    const refusedThere = ask('evil.example:5000');
    expect(refusedThere).toMatchObject({ allowed: false, code: 'not-allowed' });
    if (!refusedThere.allowed) expect(refusedThere.message).toContain('evil.example');
  });
});

describe('a role at single sites', () => {
  const who = { role: 'reader', sites: { lr: 'builder', bw: 'planner' } } as const;
  it.each<[readonly string[], string]>([
    [[], 'reader'],
    [['lr'], 'builder'],
    [['bw'], 'planner'],
    // What is at both takes both.
    [['lr', 'bw'], 'planner'],
    [['bw', 'lr'], 'planner'],
    [['lr', 'ptl'], 'reader'],
  ])('%j: %s', (sites, role) => expect(roleAt(who, sites)).toBe(role));
  it('never takes anything from the role of the account', () => {
    expect(roleAt({ role: 'warden', sites: { lr: 'reader' } }, ['lr'])).toBe('warden');
    expect([roleAnywhere(who), roleAnywhere({ role: 'planner' })]).toEqual(['builder', 'planner']);
  });
});
