import { beforeEach, describe, expect, it, vi } from 'vitest';

/** A browser's storage, and the listeners of its window. */
const kept = new Map<string, string>();
const listeners: ((e: { key: string | null }) => void)[] = [];
vi.stubGlobal('localStorage', {
  getItem: (k: string) => kept.get(k) ?? null,
  setItem: (k: string, v: string) => void kept.set(k, v),
  removeItem: (k: string) => void kept.delete(k),
});
vi.stubGlobal('window', {
  localStorage,
  addEventListener: (kind: string, listener: (typeof listeners)[number]) => kind === 'storage' && listeners.push(listener),
});
const { useDrafts } = await import('./drafts.ts');

const draft = (value: number) => ({
  version: 3,
  since: '2026-11-23T08:00:00Z',
  changes: [{ path: ['mtu'], before: 1500, mine: value }],
});
const text = { text: 'kind: Network\n', base: { 'Network bw-machine': null }, since: '2026-11-23T08:00:00Z' };
const stored = () => JSON.parse(kept.get('drafts') ?? '{}').state;

beforeEach(() => {
  for (const key of Object.keys(useDrafts.getState().fields)) useDrafts.getState().setFields(key, undefined);
  for (const key of Object.keys(useDrafts.getState().texts)) useDrafts.getState().setText(key, undefined);
});

describe('what somebody typed and has not saved', () => {
  it('lies in the browser as soon as it is typed, and nothing else does', () => {
    useDrafts.getState().setFields('pia Network bw-machine', draft(1400) as never);
    useDrafts.getState().setText('pia Network', text);
    expect(stored()).toEqual({ fields: { 'pia Network bw-machine': draft(1400) }, texts: { 'pia Network': text } });
  });
  it('is gone when it is saved or discarded, and the others stay', () => {
    const { setFields } = useDrafts.getState();
    setFields('pia Network bw-machine', draft(1400) as never);
    setFields('pia Network bw-storage', draft(9000) as never);
    setFields('pia Network bw-machine', undefined);
    expect(Object.keys(stored().fields)).toEqual(['pia Network bw-storage']);
  });
  it('of two people at one browser lies apart', () => {
    const { setFields } = useDrafts.getState();
    setFields('pia Network bw-machine', draft(1400) as never);
    setFields('rui Network bw-machine', draft(9000) as never);
    expect(useDrafts.getState().fields['pia Network bw-machine']).toEqual(draft(1400));
    expect(useDrafts.getState().fields['rui Network bw-machine']).toEqual(draft(9000));
  });
  it('in one tab is seen in the others, and what belongs to something else is not read', async () => {
    expect(listeners).toHaveLength(1);
    kept.set('drafts', JSON.stringify({ state: { fields: { 'pia Host bw-01': draft(1) }, texts: {} }, version: 0 }));
    listeners[0]?.({ key: 'theme' });
    expect(useDrafts.getState().fields).toEqual({});
    listeners[0]?.({ key: 'drafts' });
    await vi.waitFor(() => expect(useDrafts.getState().fields).toEqual({ 'pia Host bw-01': draft(1) }));
  });
});
