import { describe, expect, it } from 'vitest';
import type { KubeObject } from './kinds.ts';
import { actsAs, personMay, personOf, verbOf } from './rights.ts';

const binding = (role: string, subject: object): KubeObject => ({
  apiVersion: 'rbac.authorization.k8s.io/v1',
  kind: 'ClusterRoleBinding',
  metadata: { name: role },
  roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'ClusterRole', name: role },
  subjects: [subject],
});
const group = (name: string) => ({ kind: 'Group', name });
const objects = [
  binding('view', group('lookers')),
  binding('edit', group('changers')),
  binding('cluster-admin', { kind: 'User', name: 'root' }),
];
const may = (groups: string[], verb: string, of: string, user = 'ana') => {
  const [g = '', resource = ''] = of.split('/', 2).length > 1 && !of.startsWith('pods/') ? of.split('/') : ['', of];
  return personMay(objects, { user, groups }, verb, g, resource);
};

describe('whom the API lets do what', () => {
  it.each<[groups: string[], verb: string, resource: string, may: boolean]>([
    [['lookers'], 'list', 'pods', true],
    [['lookers'], 'get', 'pods/log', true],
    [['lookers'], 'list', 'secrets', false],
    [['lookers'], 'delete', 'pods', false],
    [['lookers'], 'list', 'nodes', false],
    [['lookers'], 'create', 'pods/exec', false],
    [['lookers'], 'watch', 'apps/deployments', true],
    [['changers'], 'list', 'secrets', true],
    [['changers'], 'patch', 'apps/deployments', true],
    [['changers'], 'create', 'pods/exec', true],
    [['changers'], 'patch', 'rbac.authorization.k8s.io/clusterroles', false],
    [['changers'], 'impersonate', 'users', false],
    [['nobody'], 'get', 'pods', false],
    [[], 'get', 'pods', false],
    [['system:masters'], 'delete', 'nodes', true],
    [['nobody', 'lookers'], 'get', 'pods', true],
  ])('%j, %s %s: %s', (groups, verb, resource, is) => {
    expect(may(groups, verb, resource)).toBe(is);
  });
  it('is asked of the user as well as of the groups', () => {
    expect([may([], 'delete', 'nodes', 'root'), may([], 'delete', 'nodes', 'Root')]).toEqual([true, false]);
  });
});

describe('who asks, and for what', () => {
  const socket = (subject: object | undefined) => ({ getPeerCertificate: () => ({ subject }) }) as never;
  it('is who the certificate names, with one group or several', () => {
    expect(personOf(socket({ CN: 'ana', O: 'lookers' }))).toEqual({ user: 'ana', groups: ['lookers'] });
    expect(personOf(socket({ CN: 'ana', O: ['a', 'b'] }))).toEqual({ user: 'ana', groups: ['a', 'b'] });
    expect(personOf(socket(undefined))).toEqual({ user: '', groups: [] });
  });
  it('is somebody else where the headers say so', () => {
    const ana = { user: 'ana', groups: ['lookers'] };
    expect(actsAs(ana, {})).toBe(ana);
    expect(actsAs(ana, { 'impersonate-user': 'root', 'impersonate-group': ['x', 'y'] })).toEqual({
      user: 'root',
      groups: ['x', 'y'],
    });
    expect(actsAs(ana, { 'impersonate-group': 'system:masters' })).toEqual({ user: '', groups: ['system:masters'] });
  });
  it('is a verb by the method, and by whether one or all are named', () => {
    const q = (text = '') => new URLSearchParams(text);
    expect([
      verbOf('GET', q(), true),
      verbOf('GET', q(), false),
      verbOf('GET', q('watch=true'), false),
      verbOf('POST', q(), false),
      verbOf('PUT', q(), true),
      verbOf('PATCH', q(), true),
      verbOf('DELETE', q(), true),
      verbOf('DELETE', q(), false),
    ]).toEqual(['get', 'list', 'watch', 'create', 'update', 'patch', 'delete', 'deletecollection']);
  });
});
