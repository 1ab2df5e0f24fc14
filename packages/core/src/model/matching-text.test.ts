import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { type Charter, matchingText, readDocuments, setAt, writeDocument } from './index.ts';

const plover = goodEstate().charters[0] as Charter;
const text = `# The room of the vessel traffic service.
apiVersion: praesidor/v1
kind: Charter
name: plover
overlay: {kind: geneve} # asked for by the network desk
site: lr
release: 1.34.2
mirror: lr-registry
controlPlane:
  count: 3 # one in each zone
workers: {count: 3, minCores: 32}
machineNetwork: lr-machine
pods: {range: 10.128.0.0/16}
services: {range: 10.129.0.0/18}
servicePool: {range: 10.62.8.64-10.62.8.79}
sshKeys:
  # The builder's.
  - ${plover.sshKeys[0]}
`;
const read = (t: string) => readDocuments(t).docs[0]?.doc;

describe('a text that is brought to what its document says', () => {
  it('that says the same stays as it was written, to the letter', () => {
    expect(matchingText(text, read(text) as Charter)).toBe(text);
  });
  it('keeps comments and order where a field was set elsewhere', () => {
    const next = matchingText(text, {
      ...plover,
      controlPlane: { count: 5 },
      overlay: { kind: 'vxlan' as const },
      owner: 'ferries',
    });
    expect(next).toContain('# The room of the vessel traffic service.');
    expect(next).toContain('overlay: {kind: vxlan} # asked for by the network desk');
    expect(next).toContain('count: 5 # one in each zone');
    expect(next).toContain("# The builder's.");
    expect(next.indexOf('overlay')).toBeLessThan(next.indexOf('site:'));
    expect(next).toContain('owner: ferries');
  });
  it('of 5,000 lines keeps every one of them, and a fault in the last is told there', () => {
    const long = `${Array.from({ length: 5000 }, (_, i) => `# line ${i + 1}`).join('\n')}\n${text}`;
    const next = matchingText(long, { ...plover, owner: 'ferries' });
    expect(next.split('\n').filter((l) => /^# line \d+$/.test(l))).toHaveLength(5000);
    const { faults } = readDocuments(`${long}ownr: ferries\n`);
    expect(faults).toEqual([
      expect.objectContaining({ line: long.split('\n').length, message: expect.stringContaining('did you mean owner?') }),
    ]);
  });
  it('that cannot be read, or is of another kind, is written anew', () => {
    for (const other of [undefined, 'kind: Charter\nname: [', 'kind: Site\nname: lr\n', `${text}---\n${text}`])
      expect(matchingText(other, plover)).toBe(writeDocument(plover));
  });
  it('always reads back as the document, whatever was set: property', () => {
    const change = fc.constantFrom<[string[], unknown]>(
      [['controlPlane', 'count'], 1],
      [['workers'], { count: 0 }],
      [['servicePool'], undefined],
      [['sshKeys'], []],
      [['pools'], [{ name: 'archive', count: 2, taints: ['a:NoSchedule'] }]],
      [['api'], { name: 'kube.other.example', names: ['x.example'] }],
      [['notes'], 'a: b # c'],
      [['pods'], { range: 'fd00:1::/48', perNode: 64, most: 50 }],
      [['timers'], { lease: 20 }],
    );
    fc.assert(
      fc.property(fc.array(change, { maxLength: 6 }), (list) => {
        let doc: Charter = plover;
        let now = text;
        for (const [path, value] of list) {
          doc = setAt(doc, path, value);
          now = matchingText(now, doc);
          expect(read(now)).toEqual(read(writeDocument(doc)));
        }
      }),
      { numRuns: 60 },
    );
  });
});
