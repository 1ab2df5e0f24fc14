import { expect, it } from 'vitest';
import { narrowed } from './narrowed.ts';

it('what a view is narrowed to is the same text however it came about, and nothing that only opens something', () => {
  const of = (query: string) => narrowed(new URLSearchParams(query), ['site', 'q', 'sort']);
  expect(of('sort=-cores&host=bw-01&q=state%3Afit&site=bw')).toBe('site=bw&q=state%3Afit&sort=-cores');
  expect(of('site=bw&q=state:fit&sort=-cores')).toBe('site=bw&q=state%3Afit&sort=-cores');
  expect(of('q=&host=bw-01')).toBe('');
});
