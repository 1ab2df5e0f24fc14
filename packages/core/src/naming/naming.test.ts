import { describe, expect, it } from 'vitest';
import { drift, inParts, reverseName, updateFor, zoneFile, zoneFor } from './index.ts';

const a = (name: string, value: string, type = 'A') => ({ name, type, ttl: 3600, value });

describe('reverse names', () => {
  it.each([
    ['10.62.8.34', '34.8.62.10.in-addr.arpa'],
    ['2001:db8::1', '1.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.8.b.d.0.1.0.0.2.ip6.arpa'],
  ])('%s → %s', (ip, name) => {
    expect(reverseName(ip)).toBe(name);
  });
  it('belong to the longest zone that ends them', () => {
    expect(zoneFor('x.lr.k.example', [{ name: 'k.example' }, { name: 'lr.k.example' }])?.name).toBe('lr.k.example');
    expect(zoneFor('xlr.example', [{ name: 'lr.example' }])).toBeUndefined();
  });
});

describe('planned against served', () => {
  const planned = [a('api.z', '10.0.0.1'), a('in.z', '10.0.0.2'), a('two.z', '10.0.0.3'), a('two.z', '10.0.0.4')];
  const served = [
    a('in.z', '10.0.0.9'),
    a('two.z', '10.0.0.4'),
    a('two.z', '10.0.0.3'),
    a('old.z', '10.0.0.7'),
    a('radar.z', '10.0.0.8'),
    a('z', 'ns hm 1 2 3 4 5', 'SOA'),
  ];
  const d = drift(planned, served, new Set(['old.z A 10.0.0.7']));
  it('tells what to add, to change and to remove, and what was never ours', () => {
    expect(d.add).toEqual([a('api.z', '10.0.0.1')]);
    expect(d.change).toEqual([
      { name: 'in.z', type: 'A', ttl: 3600, servedTtl: 3600, planned: ['10.0.0.2'], served: ['10.0.0.9'] },
    ]);
    expect(d.remove).toEqual([a('old.z', '10.0.0.7')]);
    expect(d.foreign).toEqual([a('radar.z', '10.0.0.8')]);
    expect(d.same).toBe(2);
  });
  it('gives the smallest update, which leaves what is foreign alone', () => {
    const { steps } = updateFor(d);
    // one removed; of the changed set one value added and one deleted; one added
    expect(steps.map((s) => `${s.do} ${s.record.name} ${s.record.value}`)).toEqual([
      'delete old.z 10.0.0.7',
      'add in.z 10.0.0.2',
      'delete in.z 10.0.0.9',
      'add api.z 10.0.0.1',
    ]);
    expect(JSON.stringify(steps)).not.toContain('radar.z');
  });
  it('asks that the server still serves what was read', () => {
    expect(updateFor(d).prerequisites).toEqual([
      { name: 'old.z', type: 'A', values: ['10.0.0.7'] },
      { name: 'in.z', type: 'A', values: ['10.0.0.9'] },
      { name: 'api.z', type: 'A', values: [] },
    ]);
  });
  it('takes another time for a change, and brings it with the records', () => {
    const other = drift([a('x.z', '10.0.0.1')], [{ ...a('x.z', '10.0.0.1'), ttl: 60 }]);
    expect(other.change).toMatchObject([{ ttl: 3600, servedTtl: 60 }]);
    expect(updateFor(other).steps).toEqual([{ do: 'add', record: a('x.z', '10.0.0.1') }]);
  });
  it('is sent in parts when it is large, and no set is divided', () => {
    const many = drift(Array.from({ length: 20 }, (_, i) => [a(`h${i}.z`, '10.0.0.1'), a(`h${i}.z`, '10.0.0.2')]).flat(), []);
    const parts = inParts(many, 8);
    expect(parts.map((p) => p.add.length)).toEqual([16, 16, 8]);
    expect(parts.flatMap((p) => p.add)).toEqual(many.add);
  });
  it('is empty when the update was taken', () => {
    const after = [
      ...served.filter((r) => r.name !== 'in.z' && r.name !== 'old.z'),
      a('in.z', '10.0.0.2'),
      a('api.z', '10.0.0.1'),
    ];
    expect(updateFor(drift(planned, after, new Set(planned.map((p) => `${p.name} ${p.type} ${p.value}`)))).steps).toEqual([]);
  });
});

it('a master file has absolute names and quoted texts', () => {
  const text = zoneFile(
    {
      apiVersion: 'praesidor/v1',
      kind: 'Zone',
      name: 'lr.example',
      site: 'lr',
      primary: '10.0.0.1',
      servers: ['ns1.lr.example'],
      contact: 'hostmaster.lr.example',
      key: 'k',
      ttl: 300,
    },
    7,
    [a('x.lr.example', '10.0.0.1'), { ...a('t.lr.example', 'say "hi"'), type: 'TXT' }],
  );
  expect(text).toContain('@ IN SOA ns1.lr.example. hostmaster.lr.example. ( 7 ');
  expect(text).toContain('t.lr.example. 3600 IN TXT "say \\"hi\\""');
});
