import { QueryClient, QueryObserver } from '@tanstack/react-query';
import { describe, expect, it } from 'vitest';
import { renew } from './renew.ts';

/** A page that shows what a server answers; the server answers when it is let. */
function shown() {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const waiting: ((answer: string) => void)[] = [];
  const observer = new QueryObserver(client, {
    queryKey: ['estate', 'change'],
    queryFn: () => new Promise<string>((done) => waiting.push(done)),
  });
  observer.subscribe(() => undefined);
  return { client, waiting, now: () => observer.getCurrentResult().data };
}
const turn = () => new Promise((done) => setImmediate(done));

describe('what is told while something is asked for', () => {
  it('for the first time is not lost: it is asked once more after its answer', async () => {
    const { client, waiting, now } = shown();
    await turn();
    expect(waiting).toHaveLength(1);
    // Told while the first answer, which is from before, is on its way.
    renew(client, ['estate']);
    await turn();
    waiting[0]?.('before');
    await turn();
    await turn();
    expect([now(), waiting.length]).toEqual(['before', 2]);
    waiting[1]?.('after');
    await turn();
    await turn();
    expect([now(), waiting.length]).toEqual(['after', 2]);
  });
  it('again is asked anew at once, and what was on its way is not shown', async () => {
    const { client, waiting, now } = shown();
    await turn();
    waiting[0]?.('first');
    await turn();
    await turn();
    renew(client, ['estate']);
    await turn();
    renew(client, ['estate']);
    await turn();
    expect(waiting).toHaveLength(3);
    waiting[2]?.('newest');
    waiting[1]?.('older');
    await turn();
    await turn();
    expect(now()).toBe('newest');
  });
  it('under another key is not asked again', async () => {
    const { client, waiting } = shown();
    await turn();
    renew(client, ['builds']);
    waiting[0]?.('first');
    await turn();
    await turn();
    expect(waiting).toHaveLength(1);
  });
});
