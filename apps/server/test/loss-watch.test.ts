import type { Expected } from '@praesidor/core/rehearse';
import type { ClusterSeen } from '@praesidor/protocols/kube';
import { describe, expect, it } from 'vitest';
import { watched } from '../src/areas/losses/watch.ts';

/** A cluster that says what it is told to say, a second of ours after the other; its clock goes `rate` times as fast. */
function cluster(
  says: (s: number) => Partial<ClusterSeen> | undefined,
  rate = 1,
  doors: Record<string, (s: number) => boolean> = {},
) {
  let s = 0;
  return {
    seen: async () => {
      const said = says(s);
      if (!said) throw new Error('it does not answer');
      return { at: (1000 + s * rate) * 1000, nodes: [], pods: [], ...said };
    },
    addresses: new Map(Object.entries(doors).map(([name, answers]) => [name, async () => answers(s)] as const)),
    pause: async () => void s++,
    now: () => s * 1000,
  };
}
const lost = { hosts: ['lr-05'], from: 999_000, to: 1_000_000 };
const counted: Expected = { what: 'counted', name: 'lr-05', text: '', is: { from: 40_000, to: 55_000 } };
const work: Expected = { what: 'work', name: 'archive', text: '', is: { from: 60_000, to: 90_000 } };
const door = (name: string, is?: { from: number; to: number }): Expected => ({
  what: 'address',
  name,
  text: '',
  ...(is ? { is } : {}),
});
const node = (ready: boolean, at?: number) => ({ name: 'lr-05', ready, since: at });
const pod = (host: string, ready: boolean, at: number, more = {}) => ({
  namespace: 'default',
  work: 'archive',
  name: `archive-${host}`,
  host,
  ready,
  since: at,
  ...more,
});
const before = new Map([['archive', { namespace: 'default', ready: 1 }]]);
const after = (s: number) => (1000 + s) * 1000;

describe('looking at a cluster that lost a host', () => {
  it('takes times from what the cluster stamps, however late it is asked', async () => {
    const came = await watched(
      lost,
      [counted, work],
      before,
      cluster((s) => ({
        nodes: [node(s < 60, s < 60 ? 0 : after(50))],
        pods: [s < 80 ? pod('lr-05', true, 0) : pod('lr-06', true, after(71))],
      })),
    );
    // Lost at 999 to 1,000 s; stamped at 1,050 and 1,071, to the second.
    expect(Object.fromEntries(came)).toEqual({
      'counted lr-05': { from: 50_000, to: 52_000 },
      'work archive': { from: 71_000, to: 73_000 },
    });
  });
  it('counts neither a pod on the lost host, nor one that was ready before, nor one of another namespace', async () => {
    const came = await watched(
      lost,
      [work],
      before,
      cluster(() => ({
        pods: [
          pod('lr-05', true, after(3)),
          pod('lr-06', true, 998_000),
          pod('lr-07', true, after(4), { namespace: 'other' }),
          pod('lr-08', false, after(5)),
        ],
      })),
    );
    expect(came.size).toBe(0);
  });
  it('says how long an address was away, at the least and at the most, in seconds of the cluster', async () => {
    const counts = (s: number) => ({ nodes: [node(s < 5, s < 5 ? 0 : after(50))] });
    const came = await watched(
      lost,
      [counted, door('feed', { from: 0, to: 30_000 })],
      before,
      cluster(counts, 10, { feed: (s) => s < 1 || s > 3 }),
    );
    // Heard at 0, missed from 1 to 3, heard at 4: between 2 and 4 s of ours, ten times as many there; and a second to which it is told.
    expect(came.get('address feed')).toEqual({ from: 20_000, to: 41_000 });
  });
  it('hears the API by asking it', async () => {
    const came = await watched(
      lost,
      [door('API', { from: 0, to: 5000 })],
      before,
      cluster((s) => (s >= 2 && s <= 4 ? undefined : {})),
    );
    expect(came.get('address API')).toEqual({ from: 2000, to: 5000 });
  });
  it('takes an address that was never missed for away between two looks, once the host counts as lost', async () => {
    const came = await watched(
      lost,
      [counted, door('feed', { from: 0, to: 0 })],
      before,
      cluster((s) => ({ nodes: [node(s < 50, s < 50 ? 0 : after(50))] }), 1, { feed: () => true }),
    );
    expect(came.get('address feed')).toEqual({ from: 0, to: 2000 });
  });
  it('ends when what was to come should have, and waits as long for what never should', async () => {
    let asked = 0;
    const says = (s: number) => {
      asked = s;
      return {};
    };
    expect((await watched(lost, [counted], before, cluster(says))).size).toBe(0);
    // 55 s, and ten minutes.
    expect(asked).toBe(656);
    const never: Expected = { what: 'work', name: 'archive', text: '' };
    await watched(lost, [never], before, cluster(says));
    // A minute after all that was to come: nothing was.
    expect(asked).toBe(61);
    const came = await watched(
      lost,
      [never],
      before,
      cluster((s) => ({ pods: [pod('lr-06', s > 10, after(9))] })),
    );
    expect(came.get('work archive')).toEqual({ from: 9000, to: 11_000 });
  });
});
