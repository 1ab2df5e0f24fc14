import { describe, expect, it } from 'vitest';
import { goodEstate, withAddon } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { applyEdits, type Charter, type Estate } from '../model/index.ts';
import { bootKit, fileChanges, placeholder, traceable, traceKit, type WriteKit } from './index.ts';

const write: WriteKit = (plan, estate, of) =>
  bootKit(
    {
      plan,
      estate,
      secret: placeholder('plover'),
      installation: 'plover',
      bootUrl: (h) => `http://praesidor.example/boot/${h}`,
      reportUrl: (h) => `http://praesidor.example/report/${h}`,
    },
    of,
  );
const estate = withAddon(goodEstate(), 'inbound-router');
const plover = estate.charters[0] as Charter;
const kit = (e: Estate) => new Map(write(resolve(e.charters[0] as Charter, e), e).map((f) => [f.path, f.content]));
const lineOf = (path: string, text: string) => (kit(estate).get(path) ?? '').split('\n').findIndex((l) => l.includes(text)) + 1;

describe('lines of files and the fields that they come from', () => {
  const ofHost = traceKit(plover, estate, write, { host: 'lr-01' });
  const fieldsAt = (path: string, text: string) =>
    ofHost.filter((f) => f.lines[path]?.includes(lineOf(path, text))).map((f) => f.field);
  const kubelet = 'hosts/lr-01/root/etc/kubernetes/kubelet.yaml';
  it.each([
    [kubelet, '- 10.129.0.10', ['services.range']],
    [kubelet, 'maxPods: 110', ['pods.most']],
    [kubelet, 'shutdownGracePeriod: 30s', ['timers.stop']],
    [kubelet, 'cgroupDriver: systemd', []],
    ['hosts/lr-01/root/etc/kubernetes/manifests/kube-controller-manager.yaml', '--cluster-cidr=', ['pods.range']],
  ])('%s, %s: %j', (path, text, fields) => {
    expect(lineOf(path, text)).toBeGreaterThan(0);
    expect(fieldsAt(path, text)).toEqual(fields);
  });
  it('what a line says of several fields names the one first that says most about it', () => {
    // The certificate authority's file comes from no field; the API's name from its own, and from the ranges nothing.
    const [first] = fieldsAt('hosts/lr-01/root/etc/kubernetes/kubelet.kubeconfig', 'https://kube.plover');
    expect(first).toBe('api.name');
  });
  it('of one field in all files: every line is named that comes out otherwise, and no other', () => {
    const [mtu, ...more] = traceKit(plover, estate, write, { field: 'overlay.mtu' });
    expect(more).toEqual([]);
    // Held against the kit with another MTU, line by line.
    const other = kit(applyEdits(estate, [{ op: 'set', kind: 'Charter', key: 'plover', path: ['overlay', 'mtu'], value: 1443 }]));
    const differ = [...kit(estate)].flatMap(([path, text]) => {
      const now = (other.get(path) ?? '').split('\n');
      const lines = text.split('\n').flatMap((l, i) => (l === now[i] ? [] : [i + 1]));
      return lines.length ? [[path, lines] as const] : [];
    });
    expect(differ.length).toBeGreaterThan(1);
    expect(mtu?.lines).toEqual(Object.fromEntries(differ));
  });
  it('only asks of a host what is of that host', () => {
    for (const f of ofHost) for (const path of Object.keys(f.lines)) expect(path).toMatch(/^hosts\/lr-01\//);
    for (const f of traceKit(plover, estate, write, { host: 'cluster' }))
      for (const path of Object.keys(f.lines)) expect(path).toMatch(/^cluster\//);
  });
  it('tries fields of every section', () => {
    const tried = traceable().map((s) => s.path);
    for (const field of [
      'release',
      'workers.labels',
      'pods.perNode',
      'api.address',
      'servicePool.range',
      'syslog',
      'certificates.days',
    ])
      expect(tried).toContain(field);
  });
});

describe('what two kits differ in', () => {
  it('counts lines, and shows those with what stands around them', () => {
    const before = new Map([
      ['a', 'one\ntwo\nthree\nfour\nfive\nsix\n'],
      ['b', 'gone\n'],
      ['c', 'same\n'],
    ]);
    const after = new Map([
      ['a', 'one\ntwo\nthree\nFOUR\nfive\nsix\nseven\n'],
      ['c', 'same\n'],
      ['d', 'new\nnew\n'],
    ]);
    expect(fileChanges(before, after)).toEqual([
      {
        path: 'a',
        how: 'changed',
        more: 2,
        less: 1,
        hunks: [
          {
            line: 2,
            lines: [
              { sign: ' ', text: 'two' },
              { sign: ' ', text: 'three' },
              { sign: '-', text: 'four' },
              { sign: '+', text: 'FOUR' },
              { sign: ' ', text: 'five' },
              { sign: ' ', text: 'six' },
              { sign: '+', text: 'seven' },
            ],
          },
        ],
      },
      expect.objectContaining({ path: 'b', how: 'removed', more: 0, less: 1 }),
      expect.objectContaining({ path: 'd', how: 'added', more: 2, less: 0 }),
    ]);
  });
  it('of the same kit twice is nothing', () => {
    expect(fileChanges(kit(estate), kit(estate))).toEqual([]);
  });
});
