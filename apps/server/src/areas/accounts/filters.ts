import type { FilterKept } from '@praesidor/contract';
import type { EntityManager } from 'typeorm';
import { Refusal } from '../../refusal.ts';

/** Filters of one page that somebody keeps at the most. */
export const mostOfPage = 50;

/** What somebody keeps, by page and name. */
export const filtersOf = async (m: EntityManager, login: string): Promise<FilterKept[]> =>
  (await m.query('select page, name, query from account_filter where login = $1 order by page, lower(name), name', [
    login,
  ])) as FilterKept[];

/** Keeps a filter; one of the same name at the same page is replaced. @throws Refusal when there are too many */
export async function keepFilter(m: EntityManager, login: string, { page, name, query }: FilterKept): Promise<void> {
  // One after another: two at once would both find room for the last one.
  await m.query('select 1 from account where login = $1 for update', [login]);
  const [{ n }] = (await m.query('select count(*)::int as n from account_filter where login = $1 and page = $2 and name <> $3', [
    login,
    page,
    name,
  ])) as [{ n: number }];
  if (n >= mostOfPage)
    throw new Refusal('not-now', `${mostOfPage} filters are kept of this page, which is the most.`, {
      remedy: 'Delete one that is not used any more.',
    });
  await m.query(
    'insert into account_filter (login, page, name, query) values ($1, $2, $3, $4) on conflict (login, page, name) do update set query = excluded.query',
    [login, page, name, query],
  );
}

/** @throws Refusal when there is none of that name */
export async function deleteFilter(m: EntityManager, login: string, page: string, name: string): Promise<void> {
  const gone = (await m.query(
    'with d as (delete from account_filter where login = $1 and page = $2 and name = $3 returning 1) select count(*)::int as n from d',
    [login, page, name],
  )) as [{ n: number }];
  if (!gone[0].n) throw new Refusal('not-found', `There is no filter ${name} of ${page}.`);
}
