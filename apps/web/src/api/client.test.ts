import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { api, ApiError, ask, setCsrf } from './client.ts';

/** What the next request is answered with; and what was asked. */
const fetched = vi.fn<(path: string, init: RequestInit) => Promise<Response>>();
const answer = (status: number, body: string) => fetched.mockResolvedValueOnce(new Response(body, { status }));
const refusal = (work: Promise<unknown>): Promise<ApiError> =>
  work.then(
    () => expect.unreachable('it was not refused'),
    (e: unknown) => e as ApiError,
  );

beforeEach(() => {
  vi.stubGlobal('fetch', fetched);
  setCsrf('token-of-the-session');
});
afterEach(() => {
  vi.unstubAllGlobals();
  fetched.mockReset();
});

describe('what is asked', () => {
  it('reads without the token that writes need, and without a body', async () => {
    answer(200, '{"acts":[]}');
    expect(await api('GET', '/api/acts')).toEqual({ acts: [] });
    expect(fetched.mock.lastCall).toEqual(['/api/acts', { method: 'GET', headers: {} }]);
  });
  it('writes with the token, and says that its body is JSON', async () => {
    answer(200, '{}');
    await api('POST', '/api/edits', { why: 'x' });
    expect(fetched.mock.lastCall?.[1]).toEqual({
      method: 'POST',
      headers: { 'x-csrf-token': 'token-of-the-session', 'content-type': 'application/json' },
      body: '{"why":"x"}',
    });
  });
  it('answers the text too, for whoever hands it on unread', async () => {
    answer(200, '{"a": 1}');
    expect(await ask('GET', '/api/estate')).toEqual({ json: { a: 1 }, text: '{"a": 1}' });
  });
  it('an empty answer is an empty object', async () => {
    fetched.mockResolvedValueOnce(new Response(null, { status: 204 }));
    expect(await api('DELETE', '/api/x')).toEqual({});
  });
});

describe('what is refused', () => {
  it('keeps everything that the server says of it', async () => {
    const uses = [
      { by: 'Charter plover', how: 'pulls from it', act: { label: 'Choose another mirror', path: '/clusters/plover' } },
    ];
    const collisions = [{ path: ['mtu'], before: 1500, mine: 1400, theirs: 9000 }];
    answer(
      409,
      JSON.stringify({
        code: 'conflict',
        message: 'lr-machine was changed by pia.',
        remedy: 'Look at both.',
        places: [{ path: 'mtu', message: 'changed' }],
        current: { version: 3 },
        collisions,
        uses,
      }),
    );
    const e = await refusal(api('POST', '/api/edits', {}));
    expect(e).toBeInstanceOf(ApiError);
    expect(e).toMatchObject({
      status: 409,
      code: 'conflict',
      message: 'lr-machine was changed by pia.',
      remedy: 'Look at both.',
      places: [{ path: 'mtu', message: 'changed' }],
      current: { version: 3 },
      collisions,
      uses,
    });
  });
  it('has empty lists where the server says nothing more', async () => {
    answer(404, '{"code":"not-found","message":"There is no host x."}');
    expect(await refusal(api('GET', '/api/hosts/x'))).toMatchObject({ places: [], collisions: [], uses: [], remedy: undefined });
  });
  it('by something in front that answers with a page is told by its status', async () => {
    answer(502, '<html>Bad Gateway</html>');
    expect(await refusal(api('GET', '/api/estate'))).toMatchObject({
      status: 502,
      code: 'fault',
      message: 'The server answered 502.',
    });
  });
  it('by silence is told apart from every answer', async () => {
    fetched.mockRejectedValueOnce(new TypeError('fetch failed'));
    expect(await refusal(api('GET', '/api/estate'))).toMatchObject({ status: 0, code: 'offline', remedy: expect.any(String) });
  });
});
