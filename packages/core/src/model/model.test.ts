import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  applyEdits,
  emptyEstate,
  kinds,
  limits,
  nearest,
  readDocuments,
  setInText,
  type Site,
  setAt,
  writeDocument,
} from './index.ts';

const site =
  'apiVersion: praesidor/v1\nkind: Site\nname: lr\ntitle: Lantern Rock\nform: sealed-room\nreach: sealed\ndomain: lr.example\n';

describe('reading documents', () => {
  it('names an unknown field with its place and the nearest valid one', () => {
    const { faults, docs } = readDocuments(`${site}resolver: 10.0.0.1\n`, 'lr.yaml');
    expect(docs).toEqual([]);
    expect(faults).toEqual([
      {
        file: 'lr.yaml',
        line: 8,
        column: 1,
        path: 'resolver',
        code: 'unknown',
        message: 'unknown field resolver; did you mean resolvers?',
      },
    ]);
  });
  it('finds the place of a wrong value deep inside', () => {
    const { faults } = readDocuments(
      'apiVersion: praesidor/v1\nkind: Network\nname: m\nsite: lr\npurpose: machine\nprefix: 10.0.0.0/24\ndhcp:\n  - {name: a, range: 10.0.0.9-10.0.0.1}\n',
      'n.yaml',
    );
    expect(faults[0]).toMatchObject({ line: 8, column: 15, path: 'dhcp.0.range', code: 'value' });
    expect(faults[0]?.message).toContain('ends before it begins');
  });
  it('collects the faults of every document, and gives the good ones', () => {
    const { docs, faults } = readDocuments(`${site}---\nkind: Sitee\n---\n${site.replace('reach: sealed', 'reach: shut')}`, 'x');
    expect(docs).toHaveLength(1);
    expect(faults.map((f) => [f.line, f.code])).toEqual([
      [9, 'kind'],
      [16, 'value'],
    ]);
    expect(faults[0]?.message).toContain('did you mean Site?');
  });
  it('refuses an alias bomb, deep nesting and too much text', () => {
    const bomb = `a: &a [x,x,x,x,x,x,x,x,x,x]\n${'bcdefg'
      .split('')
      .map((c, i) => `${c}: &${c} [${Array(10).fill(`*${'abcdefg'[i]}`).join(',')}]`)
      .join('\n')}\nkind: Site\n`;
    expect(readDocuments(bomb).faults[0]).toMatchObject({ code: 'limit' });
    // The document itself is one level, and 500 lists in it
    expect(readDocuments(`kind: Site\nname: ${'['.repeat(500)}`).faults[0]?.message).toContain('nested 501 deep');
    for (const deep of [`${'- '.repeat(100_000)}x`, `a:\n${'- '.repeat(50)}x`, `${'? '.repeat(50)}x`])
      expect(readDocuments(deep).faults[0]).toMatchObject({ code: 'limit', message: expect.stringMatching(/^nested \d+ deep/) });
    const stairs = Array.from({ length: 60 }, (_, n) => `${' '.repeat(n)}k${n}:`).join('\n');
    expect(readDocuments(stairs).faults[0]?.message).toContain('nested 60 deep');
    expect(readDocuments('---\n'.repeat(limits.documents + 1)).faults[0]?.message).toContain('at most 100000 are read');
    expect(readDocuments('x'.repeat(limits.bytes + 1)).faults[0]?.code).toBe('limit');
  });
  it('reads a large text as it reads a small one, with the same lines, and says the same of what is wrong', () => {
    const scalar = fc.oneof(
      fc.string({ maxLength: 12 }),
      fc.constantFrom(
        'yes',
        'no',
        'null',
        '~',
        '0x1f',
        '0o17',
        '017',
        '1_000',
        '1e3',
        '.inf',
        '12:30:45',
        '2026-11-27',
        '=',
        '<<',
        '4.10',
        ' x ',
        '# x',
        'a: b',
        '- x',
        '"q"',
        "it's",
        'é',
      ),
    );
    fc.assert(
      fc.property(fc.array(fc.tuple(scalar, scalar), { minLength: 1, maxLength: 6 }), fc.boolean(), (texts, wrong) => {
        const docs = texts.map(([title, note], n) =>
          writeDocument({
            ...(readDocuments(site).docs[0]?.doc as Site),
            name: `s${n}`,
            title: (title.replace(/[^ -~é]/g, '').trim() || 'x').slice(0, 40),
            ...(note ? {} : {}),
          }),
        );
        // As people write it, too: what is quoted or not is theirs.
        const raw = texts.map(([, note]) => `# ${note.replace(/[^ -~]/g, '')}\n`);
        const text = docs.map((d, n) => `${raw[n]}${d}`).join('---\n') + (wrong ? '---\nkind: Sitee\n' : '');
        const small = readDocuments(text);
        const padded = readDocuments(`${text}${`# ${'x'.repeat(997)}\n`.repeat(120)}`);
        expect(padded).toEqual(small);
      }),
    );
    const site2 = (value: string) => site.replace('title: Lantern Rock', `title: ${value}`);
    for (const value of [
      'yes',
      'null',
      '0x1f',
      '017',
      '1_000',
      '2026-11-27',
      '4.10',
      '.inf',
      '0o17',
      '12:30:45',
      '1e3',
      '~',
      'a #b',
      "'it''s'",
      '"\\u00e9"',
      '|-\n  two\n  lines',
      '>-\n  two\n  lines',
    ])
      expect([value, readDocuments(site2(value) + `# ${'x'.repeat(997)}\n`.repeat(120))]).toEqual([
        value,
        readDocuments(site2(value)),
      ]);
    const net = (mtu: string) => `kind: Network\nname: n\nsite: lr\npurpose: machine\nprefix: 10.0.0.0/24\nmtu: ${mtu}\n`;
    for (const mtu of [
      '1500',
      '01500',
      '1_500',
      '0x5dc',
      '0o2734',
      '0b1',
      '1.5e3',
      '+1500',
      '1500.0',
      '"1500"',
      '25:00',
      'true',
      'null',
      '!!int 1500',
    ])
      expect([mtu, readDocuments(net(mtu) + `# ${'x'.repeat(997)}\n`.repeat(120))]).toEqual([mtu, readDocuments(net(mtu))]);
  });
  it('sets one field of one document, and leaves the rest as it was written', () => {
    const text = '# ours\nkind: Network\nname: a # short\n---\nkind: Network\nname: b\nmtu: 1500 # usual\n';
    expect(setInText(text, 1, ['mtu'], 9000)).toBe(text.replace('1500', '9000'));
    expect(setInText(text, 1, ['mtu'], undefined)).toBe(text.replace('mtu: 1500 # usual\n', ''));
    expect(setInText(text, 0, ['inbound', 'from'], ['10.0.0.0/8'])).toContain('inbound:\n  from:\n    - 10.0.0.0/8\n---\n');
  });
  it('never throws, whatever it is given', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 300 }), (text) => {
        const { faults, docs } = readDocuments(`${text}\n`);
        expect(Array.isArray(faults) && Array.isArray(docs)).toBe(true);
      }),
    );
  });
  it('writes a document so that reading it gives the same, in the same order always', () => {
    const doc = readDocuments(site).docs[0]?.doc as never;
    expect(readDocuments(writeDocument(doc)).docs[0]?.doc).toEqual(doc);
    expect(writeDocument({ ...(doc as object), ...{ title: 'Lantern Rock' } } as never)).toBe(writeDocument(doc));
    const net = kinds.Network.parse({
      kind: 'Network',
      name: 'm',
      site: 'lr',
      purpose: 'machine',
      prefix: '10.0.0.0/24',
      dhcp: [{ range: '10.0.0.8-10.0.0.9', name: 'lease' }],
    });
    expect(writeDocument(net)).toContain('dhcp:\n  - name: lease\n    range: 10.0.0.8-10.0.0.9\n');
  });
});

describe('edits', () => {
  const estate = { ...emptyEstate('2026-11-23T00:00:00Z'), sites: [readDocuments(site).docs[0]?.doc as Site] };
  it('change a copy and leave the estate as it was', () => {
    const after = applyEdits(estate, [{ op: 'set', kind: 'Site', key: 'lr', path: ['resolvers'], value: ['10.0.0.1'] }]);
    expect(after.sites[0]?.resolvers).toEqual(['10.0.0.1']);
    expect(estate.sites[0]?.resolvers).toEqual([]);
    expect(after.networks).toBe(estate.networks);
  });
  it('are refused when the result does not fit', () => {
    expect(() => applyEdits(estate, [{ op: 'set', kind: 'Site', key: 'lr', path: ['reach'], value: 'shut' }])).toThrow(
      'Site cannot be taken: reach: ',
    );
  });
  it('take a field out with undefined', () => {
    expect(setAt({ a: { b: 1, c: 2 } }, ['a', 'b'], undefined)).toEqual({ a: { c: 2 } });
  });
});

it('the nearest name is near, or there is none', () => {
  expect(nearest('plovr', ['tern', 'plover'])).toBe('plover');
  expect(nearest('xyzzy', ['tern'])).toBeUndefined();
});

describe('one way of writing', () => {
  it.each([
    ['10.62.8.96 – 10.62.8.111', '10.62.8.96-10.62.8.111'],
    ['10.62.8.96..10.62.8.111', '10.62.8.96-10.62.8.111'],
    ['10.62.8.96/28', '10.62.8.96-10.62.8.111'],
    ['FD00::1-FD00::F', 'fd00::1-fd00::f'],
  ])('the range %s', (text, kept) => {
    const doc = kinds.Network.parse({
      kind: 'Network',
      name: 'n',
      site: 'lr',
      purpose: 'machine',
      prefix: 'FD00::/64',
      pools: [{ name: 'p', range: text, use: 'service' }],
    });
    expect([doc.pools[0]?.range, doc.prefix]).toEqual([kept, 'fd00::/64']);
  });
});
