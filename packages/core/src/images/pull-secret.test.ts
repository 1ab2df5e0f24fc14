import { describe, expect, it } from 'vitest';
import { authOf, mergePullSecrets, pullSecretText } from './index.ts';

const file = (name: string, auths: object) => ({ name, text: JSON.stringify({ auths }) });
const a = { auth: authOf('reader', 'first-secret') };
const b = { auth: authOf('reader', 'second-secret') };

describe('pull secrets', () => {
  it('are joined; what agrees is said once, under one name', () => {
    const m = mergePullSecrets([
      file('hall', { 'https://registry.bw.example:5000/v2/': a }),
      file('room', {
        'registry.bw.example:5000': { username: 'reader', password: 'first-secret' },
        'registry.lr.example:5000': b,
      }),
    ]);
    expect(m.entries).toEqual([
      { registry: 'registry.bw.example:5000', user: 'reader', from: ['hall', 'room'] },
      { registry: 'registry.lr.example:5000', user: 'reader', from: ['room'] },
    ]);
    expect(JSON.parse(pullSecretText(m.auths))).toEqual({
      auths: { 'registry.bw.example:5000': a, 'registry.lr.example:5000': b },
    });
  });
  it('that say different things are a conflict, settled by choice or not at all', () => {
    const files = [file('one', { 'r.example': a }), file('two', { 'r.example': b })];
    expect(mergePullSecrets(files)).toMatchObject({
      auths: {},
      conflicts: [
        {
          registry: 'r.example',
          says: [
            { file: 'one', user: 'reader' },
            { file: 'two', user: 'reader' },
          ],
        },
      ],
    });
    expect(mergePullSecrets(files, [], { 'r.example': 'two' }).auths).toEqual({ 'r.example': b });
  });
  it('name the registries that none of them knows', () => {
    expect(mergePullSecrets([file('one', { 'r.example': a })], ['r.example', 'https://s.example:5000']).missing).toEqual([
      's.example:5000',
    ]);
  });
  it('that cannot be read are named by file and entry, and never quoted', () => {
    const m = mergePullSecrets([
      { name: 'torn', text: '{"auths": {"r.example": {"auth": "first-secret' },
      { name: 'list', text: '[]' },
      file('odd', { 'x.example': { auth: '***' }, 'y.example': { auth: btoa('nocolon') }, 'z.example': null }),
    ]);
    expect(m.faults).toEqual([
      { file: 'torn', why: 'it is not JSON' },
      { file: 'list', why: 'it has no map named auths' },
      { file: 'odd', registry: 'x.example', why: 'its auth is not base64' },
      { file: 'odd', registry: 'y.example', why: 'its auth is not user:password' },
      { file: 'odd', registry: 'z.example', why: 'it holds neither auth nor user name and password' },
    ]);
    const { auths: _, ...said } = mergePullSecrets([file('one', { 'r.example': a }), file('two', { 'r.example': b })]);
    expect(JSON.stringify(said)).not.toMatch(/secret/);
    expect(JSON.stringify(said)).not.toContain(a.auth);
  });
  it('keep names beyond ASCII as they are', () => {
    const m = mergePullSecrets([file('one', { 'r.example': { auth: authOf('jürgen', 'pässe') } })]);
    expect(m.auths['r.example']?.auth).toBe(Buffer.from('jürgen:pässe', 'utf8').toString('base64'));
  });
});
