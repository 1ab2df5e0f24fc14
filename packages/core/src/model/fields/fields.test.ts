import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import type { z } from 'zod';
import { type Kind, kinds } from '../documents.ts';
import { emptyEstate } from '../estate.ts';
import { examples } from '../../../test/examples.ts';
import { readDocuments, writeDocument } from '../read.ts';
import { anyDocumentSchema, fieldWords, followed, formatsText, jsonSchemaOf, optionsFor, pathsOf, shapeOf } from './index.ts';
import type { Shape } from './shape.ts';

const names = Object.keys(kinds) as Kind[];
const every = (shapes: Shape[]): Shape[] => shapes.flatMap((s) => [s, ...every(s.fields ?? [])]);

describe('the words of fields', () => {
  it.each(names)('%s: every field of the schema has words, and no words are for a field that is none', (kind) => {
    const kept = Object.entries(fieldWords[kind])
      .filter(([, w]) => w.by)
      .map(([p]) => `${p}.`);
    const paths = pathsOf(kinds[kind] as unknown as z.ZodType).filter(
      (p) => p !== 'apiVersion' && p !== 'kind' && !kept.some((m) => p.startsWith(m)),
    );
    expect(Object.keys(fieldWords[kind]).sort()).toEqual([...new Set(paths)].sort());
  });
  it.each(names)('%s: each choice of a field has its meaning', (kind) => {
    for (const s of every(shapeOf(kind)))
      if (s.type === 'choice' && s.words.choices)
        expect([s.path, Object.keys(s.words.choices).sort()]).toEqual([s.path, [...(s.options ?? [])].sort()]);
  });
  it('labels begin with a capital, help is a sentence, and neither is a field name', () => {
    for (const kind of names)
      for (const [path, w] of Object.entries(fieldWords[kind])) {
        expect([kind, path, w.label]).toEqual([kind, path, expect.stringMatching(/^(?:[A-Z]|vCPU)/)]);
        if (w.help) expect([kind, path, w.help]).toEqual([kind, path, expect.stringMatching(/[.>]$/)]);
      }
  });
});

describe('the shape of a form', () => {
  it('says of each field what its schema says', () => {
    const by = Object.fromEntries(every(shapeOf('Network')).map((s) => [s.path, s]));
    expect(by.mtu).toMatchObject({ type: 'number', integer: true, required: false, fallback: 1500 });
    expect(by.purpose).toMatchObject({ type: 'choice', required: true });
    expect(by.prefix).toMatchObject({ type: 'text', required: true });
    expect(by['pools.*.range']).toMatchObject({ type: 'text', required: true });
    expect(by.routesTo).toMatchObject({ type: 'texts', required: false });
    expect(every(shapeOf('Site')).find((s) => s.path === 'resolvers')).toMatchObject({ type: 'texts' });
    expect(every(shapeOf('Release')).find((s) => s.path === 'arch')).toMatchObject({
      type: 'texts',
      options: ['x86-64', 'arm64'],
    });
  });
});

describe('values that follow', () => {
  const estate = {
    ...emptyEstate('2026-11-28T00:00:00Z'),
    sites: [
      kinds.Site.parse({
        kind: 'Site',
        name: 'bw',
        title: 'Breakwater Hall',
        form: 'hall',
        reach: 'open',
        domain: 'bw.kestrelferries.example',
        resolvers: '10.40.0.53 10.40.0.54',
      }),
    ],
  };
  it('a site: its short name from its title, its domain from that, its reach from its kind', () => {
    const before = { kind: 'Site', title: '', form: 'hall', reach: 'open' };
    expect(followed('Site', before, { ...before, title: 'Lantern Rock', form: 'sealed-room' }, estate)).toEqual({
      name: 'lr',
      reach: 'sealed',
      domain: 'lr.kestrelferries.example',
    });
  });
  it('what somebody set stays; what followed before goes along', () => {
    const before = { purpose: 'machine', prefix: '10.62.8.0/25', gateway: '10.62.8.1' };
    expect(followed('Network', before, { ...before, prefix: '10.62.9.0/25' }, estate)).toEqual({ gateway: '10.62.9.1' });
    const own = { ...before, gateway: '10.62.8.126' };
    expect(followed('Network', own, { ...own, prefix: '10.62.9.0/25' }, estate)).toEqual({});
  });
  it('the field that is being typed is left alone', () => {
    const before = { purpose: 'machine', prefix: '10.62.8.0/25', gateway: '10.62.8.1' };
    expect(followed('Network', before, { ...before, gateway: '' }, estate, 'gateway')).toEqual({});
  });
  it('a zone: its primary is the first resolver of the site, however they were typed', () => {
    expect(followed('Zone', { site: '' }, { site: 'bw' }, estate)).toMatchObject({
      name: 'bw.kestrelferries.example',
      primary: '10.40.0.53',
      servers: ['ns1.bw.kestrelferries.example'],
      key: 'bw-dns',
    });
  });
  it('a reverse zone: its name from the prefix of the nodes, its servers from the domain', () => {
    const machine = kinds.Network.parse({
      kind: 'Network',
      name: 'bw-machine',
      site: 'bw',
      purpose: 'machine',
      prefix: '10.40.8.0/25',
    });
    expect(
      followed(
        'Zone',
        { site: 'bw', name: 'in-addr.arpa' },
        { site: 'bw', name: 'in-addr.arpa' },
        { ...estate, networks: [machine] },
        undefined,
        { name: 'in-addr.arpa' },
      ),
    ).toMatchObject({
      name: '8.40.10.in-addr.arpa',
      servers: ['ns1.bw.kestrelferries.example'],
    });
  });
  it('a prefix that cannot be read, a network of one address, and storage have no gateway', () => {
    for (const prefix of ['10.62.8', '10.62.8.1/32', '10.62.8.0/31'])
      expect(followed('Network', {}, { purpose: 'machine', prefix }, estate)).toEqual({});
    expect(followed('Network', {}, { purpose: 'storage', prefix: '10.62.9.0/26' }, estate)).toEqual({});
  });
});

describe('what a reference can hold', () => {
  it('what stands at the document’s own site, of the purpose that is asked', () => {
    const network = (name: string, site: string, purpose: string) =>
      kinds.Network.parse({ kind: 'Network', name, site, purpose, prefix: '10.0.0.0/24' });
    const estate = {
      ...emptyEstate('2026-11-28T00:00:00Z'),
      networks: [
        network('bw-machine', 'bw', 'machine'),
        network('lr-bmc', 'lr', 'management'),
        network('lr-machine', 'lr', 'machine'),
      ],
    };
    expect(optionsFor({ kind: 'Network', purpose: 'machine' }, estate, { site: 'lr' })).toEqual(['lr-machine']);
    expect(optionsFor({ kind: 'Network', anywhere: true }, estate, { site: 'lr' })).toEqual([
      'lr-bmc',
      'lr-machine',
      'bw-machine',
    ]);
  });
  it('racks of its site, and its own pools', () => {
    expect(optionsFor({ of: 'rack' }, emptyEstate(''), { kind: 'Site', racks: [{ name: 'R1' }, { name: 'R2' }] })).toEqual([
      'R1',
      'R2',
    ]);
    expect(optionsFor({ of: 'pool' }, emptyEstate(''), { pools: [{ name: 'nodes' }, 'x', null] })).toEqual(['nodes']);
  });
  it('questions of the add-ons that the charter has', () => {
    const addon = (name: string, ...keys: string[]) =>
      kinds.Addon.parse({
        kind: 'Addon',
        name,
        title: name,
        version: '1.0',
        source: 'upstream',
        components: [{ name: 'agent', image: 'images.upstream.example/own/agent:1.0', on: 'node' }],
        questions: keys.map((key) => ({ key, ask: `${key}?` })),
      });
    const estate = {
      ...emptyEstate('2026-11-28T00:00:00Z'),
      addons: [addon('logs', 'server', 'tag'), addon('pods', 'mode', 'tag'), addon('other', 'unasked')],
    };
    expect(optionsFor({ of: 'question' }, estate, { addons: ['logs'], podNetwork: 'pods' })).toEqual(['server', 'tag', 'mode']);
    expect(optionsFor({ of: 'question' }, estate, { addons: 'logs' })).toEqual([]);
  });
});

describe('the published formats', () => {
  const docs = join(import.meta.dirname, '../../../../../docs/formats');
  it('stand in the docs as they stand here, with an example of each kind', () => {
    expect(readFileSync(join(docs, 'README.md'), 'utf8')).toContain(formatsText(examples()));
    expect(JSON.parse(readFileSync(join(docs, 'schema.json'), 'utf8'))).toEqual(JSON.parse(JSON.stringify(anyDocumentSchema())));
  });
  it.each(names)('the example of %s reads back as it was written', (kind) => {
    const doc = examples()[kind];
    expect(readDocuments(writeDocument(doc)).docs.map((d) => d.doc)).toEqual([doc]);
  });
});

describe('JSON Schema', () => {
  it('has titles and help, and only what people write', () => {
    const schema = jsonSchemaOf('Network') as {
      properties: Record<string, { title: string; description?: string }>;
      required: string[];
    };
    expect(schema.properties.prefix).toMatchObject({ title: 'Prefix', type: 'string', examples: ['10.62.8.0/25'] });
    expect(schema.required).toEqual(expect.arrayContaining(['kind', 'name', 'site', 'purpose', 'prefix']));
    expect(schema.required).not.toContain('mtu');
  });
});
