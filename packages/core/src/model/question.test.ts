import { describe, expect, it } from 'vitest';
import { type Question, questionFaults, readAnswer } from './question.ts';
import { componentsIn, Manifests, readManifests } from './manifests.ts';

const q = (type: Question['type'], more: Partial<Question> = {}): Question => ({ key: 'k', ask: 'What?', type, ...more });

describe('an answer', () => {
  it.each<[Question, string, unknown]>([
    [q('text'), 'as it stands ', 'as it stands '],
    [q('number'), ' 12.5', 12.5],
    [q('hosts'), '3', 3],
    [q('yes-no'), 'Yes', true],
    [q('yes-no'), 'no', false],
    [q('choice', { choices: ['a', 'b'] }), 'b', 'b'],
    [q('address'), 'FD00:0::1', 'fd00::1'],
    [q('prefix'), '10.144.0.0/18', '10.144.0.0/18'],
    [q('secret'), 'archive', 'archive'],
  ])('%j to %s is %j', (question, text, value) => expect(readAnswer(question, text)).toEqual({ value }));
  it.each<[Question, string, string]>([
    [q('number'), '', '"" is no number'],
    [q('number', { atLeast: 3 }), '2', '2 is less than 3'],
    [q('hosts'), '2.5', '"2.5" is no number of hosts'],
    [q('yes-no'), 'perhaps', '"perhaps" is neither yes nor no'],
    [q('choice', { choices: ['daily', 'weekly'] }), 'dayly', '"dayly" is not one of daily, weekly; did you mean daily?'],
    [q('address'), '10.0.0.300', '"10.0.0.300" is no address'],
    [q('network'), 'LR machine', 'a name is lower-case letters, digits and inner hyphens, such as lr-07'],
  ])('%j to %s is none: %s', (question, text, fault) => expect(readAnswer(question, text)).toEqual({ fault }));
  it('of which the question itself is wrong is told at the question', () => {
    expect(questionFaults([q('choice'), q('number', { default: 'many' })]).map((f) => [f.at, f.field, f.message])).toEqual([
      [0, 'choices', 'a choice has at least one value to choose'],
      [1, 'key', 'a question k stands above already'],
      [1, 'default', '"many" is no number'],
    ]);
  });
});

describe('manifests that somebody brings', () => {
  it('are read whole: objects of lists too, images wherever pods stand', () => {
    const read = readManifests(`apiVersion: v1
kind: List
items:
  - {apiVersion: v1, kind: Pod, metadata: {name: a}, spec: {containers: [{name: c, image: 'x.example/a:1'}]}}
---
apiVersion: batch/v1
kind: CronJob
metadata: {name: b}
spec: {jobTemplate: {spec: {template: {spec: {initContainers: [{image: 'x.example/b:1'}], containers: [{image: 'x.example/a:1'}]}}}}}
`);
    expect(read.faults).toEqual([]);
    expect(read.objects.map((o) => o.metadata.name)).toEqual(['a', 'b']);
    expect(read.images).toEqual(['x.example/a:1', 'x.example/b:1']);
  });
  it('name their components: agents on every node, the rest anywhere in the cluster, each once', () => {
    const text = ['DaemonSet', 'Deployment'].map(
      (kind, i) =>
        `apiVersion: apps/v1\nkind: ${kind}\nmetadata: {name: a${i}}\nspec: {template: {spec: {containers: [{image: 'x.example/own/agent.one:1.${i}@sha256:${'0'.repeat(64)}'}, {image: 'x.example/own/both:2'}]}}}\n`,
    );
    expect(componentsIn(text.join('---\n')).map((c) => [c.name, c.on])).toEqual([
      ['agent-one', 'node'],
      ['both', 'node'],
      ['agent-one-2', 'cluster'],
    ]);
  });
  it.each([
    ['kind: Pod\nmetadata: {name: a}', 'line 1: apiVersion is missing, or is none'],
    ['apiVersion: v1\nkind: Pod\nmetadata: {name: A B}', 'line 1: metadata.name of Pod is missing, or is none'],
    ['apiVersion: v1\nkind: Pod\nmetadata: {name: a}\n---\n- 1', 'line 5: expected an object with apiVersion, kind and metadata'],
    ['apiVersion: v1\nkind: "Pod', 'line 2: a quote is not closed'],
    [`a: &a [1,2,3]\nb: [${Array(120).fill('*a').join(',')}]`, 'line 1: more than 100 alias expansions; write the values out'],
    ['# nothing', 'it holds no object'],
  ])('that are malformed are told with their line: %j', (text, message) => {
    expect(Manifests.safeParse(text).error?.issues[0]?.message).toContain(message);
  });
});
