import { describe, expect, it } from 'vitest';
import { goodEstate, withAddon } from '../../../test/estate.ts';
import { resolve } from '../../charter/index.ts';
import { applyEdits, type Charter, type Edit, type Estate, kinds } from '../../model/index.ts';
import { bootKit, clusterObjects, type KitContext, networkAgents, programsOf } from '../index.ts';

const set = (kind: 'Charter' | 'Addon', key: string, path: string[], value: unknown): Edit => ({
  op: 'set',
  kind,
  key,
  path,
  value,
});
const context = (estate: Estate): KitContext => ({
  estate,
  plan: resolve(estate.charters[0] as Charter, estate),
  secret: (name) => `secret of ${name}`,
  installation: 'build 1',
  bootUrl: (h) => `http://praesidor.example/boot/${h}`,
  reportUrl: (h) => `http://praesidor.example/report/${h}`,
});
const objects = (ctx: KitContext) =>
  clusterObjects(ctx).flatMap((s) => s.objects.map((o) => ({ stage: s.stage, ...(o as object) }) as never as Any));
type Any = { stage: string; kind: string; metadata: { name: string; namespace?: string }; data?: object; stringData?: object };

const own = `apiVersion: v1
kind: Namespace
metadata: {name: own-network}
---
apiVersion: apps/v1
kind: DaemonSet
metadata: {name: own-agent, namespace: own-network}
spec:
  selector: {matchLabels: {app: own}}
  template:
    metadata: {labels: {app: own}}
    spec:
      initContainers: [{name: lay, image: 'images.upstream.example/own/lay:1.0'}]
      containers: [{name: agent, image: 'images.upstream.example/own/agent:1.0'}]
`;
const brings = kinds.Addon.parse({
  kind: 'Addon',
  name: 'own-network',
  title: 'A pod network of our own',
  version: '1.0',
  source: 'upstream',
  provides: 'pod-network',
  manifests: own,
  components: [
    { name: 'agent', image: 'images.upstream.example/own/agent:1.0', on: 'node' },
    { name: 'lay', image: 'images.upstream.example/own/lay:1.0', on: 'node' },
  ],
});

describe('a pod network of manifests that somebody brings', () => {
  const e = applyEdits(goodEstate(), [{ op: 'put', doc: brings }, set('Charter', 'plover', ['podNetwork'], 'own-network')]);
  const ctx = context(e);
  it('stands in place of the release’s, first of all, as it was brought', () => {
    const first = objects(ctx).filter((o) => o.stage === 'pod-network');
    expect(first.map((o) => `${o.kind} ${o.metadata.name}`)).toEqual(
      expect.arrayContaining(['Namespace own-network', 'DaemonSet own-agent', 'DaemonSet kube-proxy']),
    );
    expect(first.map((o) => o.metadata.name)).not.toContain('pod-network');
  });
  it('its agents are counted, where the release’s would be', () => {
    expect(networkAgents(ctx)).toEqual([{ namespace: 'own-network', name: 'own-agent' }]);
    expect(networkAgents(context(goodEstate()))).toEqual([{ namespace: 'kube-system', name: 'pod-network' }]);
    expect(programsOf(ctx)).toContainEqual({ kind: 'DaemonSet', namespace: 'own-network', name: 'own-agent' });
  });
  it('its images are among those that every node pulls before it joins', () => {
    for (const node of ctx.plan.nodes)
      expect(bootKit(ctx).find((f) => f.path === `hosts/${node.host}/root/etc/praesidor/images.list`)?.content).toContain(
        'own/agent:1.0',
      );
  });
});

describe('answers to the questions of an add-on', () => {
  const questions = [
    { key: 'days', ask: 'How many days are logs kept?', type: 'number', default: '14', atMost: 90 },
    { key: 'token', ask: 'Which entry opens the archive?', type: 'secret' },
  ];
  const asking = (answers: object[]) =>
    applyEdits(withAddon(goodEstate(), 'log-shipper'), [
      set('Addon', 'log-shipper', ['questions'], questions),
      set('Charter', 'plover', ['answers'], answers),
    ]);
  it('lie where its programs read them, secrets apart, the default where nothing was answered', () => {
    const ctx = context(asking([{ addon: 'log-shipper', question: 'token', answer: 'archive' }]));
    expect(ctx.plan.problems).toEqual([expect.objectContaining({ about: 'bill' })]);
    const all = objects(ctx).filter((o) => o.stage === 'addons');
    expect(all.map((o) => o.kind)).toEqual(['ConfigMap', 'Secret', 'DaemonSet']);
    expect(all[0]?.data).toEqual({ days: '14' });
    expect(all[1]?.stringData).toEqual({ token: 'secret of keyring archive' });
    expect(JSON.stringify(all[2])).toContain('"mountPath":"/etc/log-shipper"');
  });
  it.each([
    [[], 'log-shipper asks: Which entry opens the archive?', ['answers']],
    [
      [
        { addon: 'log-shipper', question: 'token', answer: 'archive' },
        { addon: 'log-shipper', question: 'days', answer: '120' },
      ],
      'How many days are logs kept? 120 is more than 90',
      ['answers', 1, 'answer'],
    ],
    [
      [
        { addon: 'log-shipper', question: 'token', answer: 'archive' },
        { addon: 'log-shiper', question: 'days', answer: '3' },
      ],
      'log-shiper does not ask days, or is not an add-on of this charter',
      ['answers', 1, 'answer'],
    ],
  ])('that are none are told with their place: %j', (answers, text, path) => {
    const { problems } = context(asking(answers)).plan;
    expect(problems.filter((p) => p.about === 'answers')).toEqual([expect.objectContaining({ text, path })]);
  });
});
