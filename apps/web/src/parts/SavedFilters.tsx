import type { FiltersKept } from '@praesidor/contract';
import { useQuery } from '@tanstack/react-query';
import { type FormEvent, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../api/client.ts';
import { useCall } from '../state/call.ts';
import { useScope } from '../state/scope.ts';
import { Button } from './Button.tsx';
import { Input } from './Fields.tsx';
import { narrowed } from './narrowed.ts';

/** Filters that somebody keeps of a page: each is an address to come back to, and to send to others. */
export function SavedFilters({ page, keys }: { page: string; keys: readonly string[] }) {
  const { params } = useScope();
  const [name, setName] = useState<string>();
  const kept = useQuery({ queryKey: ['filters'], queryFn: () => api<FiltersKept>('GET', '/api/me/filters') });
  const mine = (kept.data?.filters ?? []).filter((f) => f.page === page);
  const now = narrowed(params, ['site', ...keys]);
  const filtered = narrowed(params, keys) !== '';
  const save = useCall<object, string>(
    (called) => ({ method: 'PUT', path: '/api/me/filters', body: { page, name: called, query: now } }),
    (_, called) => `The filter is saved as ${called}.`,
    [['filters']],
  );
  const forget = useCall<object, string>(
    (called) => ({ method: 'DELETE', path: `/api/me/filters?${new URLSearchParams({ page, name: called })}` }),
    (_, called) => `The saved filter ${called} is deleted.`,
    [['filters']],
  );
  const send = (e: FormEvent) => {
    e.preventDefault();
    const called = name?.trim();
    if (called) save.mutate(called, { onSuccess: () => setName(undefined) });
  };
  const fresh = filtered && !mine.some((f) => f.query === now);
  if (!mine.length && !fresh) return null;
  return (
    <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1.5 pb-2.5">
      {mine.length > 0 && <span className="text-ink-2">Saved filters</span>}
      {mine.map((f) => {
        const here = f.query === now;
        return (
          <span key={f.name} className="flex items-baseline gap-2">
            <Link
              to={`${page}?${f.query}`}
              aria-current={here ? 'page' : undefined}
              className={here ? 'border-ink border-b-2 font-semibold' : 'text-verdigris hover:underline'}
            >
              {f.name}
            </Link>
            {here && (
              <button
                type="button"
                aria-label={`Delete the saved filter ${f.name}`}
                className="text-ink-2 hover:underline"
                onClick={() => forget.mutate(f.name)}
              >
                Delete
              </button>
            )}
          </span>
        );
      })}
      {fresh && name === undefined && (
        <Button quiet className="py-0!" onClick={() => setName('')}>
          Save filter…
        </Button>
      )}
      {fresh && name !== undefined && (
        <form className="flex items-baseline gap-2" onSubmit={send}>
          <span className="w-52">
            <Input
              aria-label="Name of the filter"
              maxLength={40}
              autoFocus
              value={name}
              onChange={(e) => setName(e.target.value)}
              onKeyDown={(e) => e.key === 'Escape' && setName(undefined)}
            />
          </span>
          <Button type="submit" disabled={!name.trim() || save.isPending}>
            Save
          </Button>
          <Button quiet onClick={() => setName(undefined)}>
            Cancel
          </Button>
        </form>
      )}
    </div>
  );
}
