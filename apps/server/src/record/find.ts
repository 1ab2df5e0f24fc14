import type { EntityManager } from 'typeorm';

/** What is looked for in the record; all of it has to fit. */
export interface Wanted {
  who?: string | undefined;
  token?: string | undefined;
  /** Part of what was done, or of what to. */
  text?: string | undefined;
  from?: string | undefined;
  to?: string | undefined;
  /** Acts before this one: the last that was seen. */
  before?: number | undefined;
  limit: number;
}
export interface Found {
  id: number;
  at: Date;
  who: string;
  act: string;
  subject: string;
  token: string | null;
  address: string | null;
  canUndo: boolean;
}

/** Acts that are looked through one by one before an index is asked: enough for a page of what is found often. */
const near = 20_000;

/**
 * Acts that fit, newest first. The newest are looked through first, since what is found often is found there; what is rare is found by an index. Either takes long for what the other is
 * good at, and no planner knows which of both a text is.
 */
export async function findActs(m: EntityManager, wanted: Wanted): Promise<Found[]> {
  const { before, limit } = wanted;
  const { where, values } = conditions(wanted);
  if (!where.length)
    return page(m, before === undefined ? [] : ['a.id < $1'], 'a.id desc', limit, before === undefined ? [] : [before]);
  const [{ newest } = { newest: 0 }] = (await m.query('select coalesce(max(id), 0)::int as newest from audit')) as {
    newest: number;
  }[];
  const top = before ?? newest + 1;
  const floor = top - near;
  const bound = [...where, `a.id < ${top}`];
  const first = await page(m, [...bound, `a.id >= ${floor}`], 'a.id desc', limit, values);
  if (first.length >= limit || floor <= 0) return first;
  // In an order that no index gives: the conditions decide by which one it is found.
  const rest = await page(m, [...where, `a.id < ${floor}`], 'a.id + 0 desc', limit - first.length, values);
  return [...first, ...rest];
}

function conditions({ who, token, text, from, to }: Wanted): { where: string[]; values: unknown[] } {
  const values: unknown[] = [];
  const put = (value: unknown) => `$${values.push(value)}`;
  const where = [
    ...(who === undefined ? [] : [`a.who = ${put(who)}`]),
    ...(token === undefined ? [] : [`a.token = ${put(token)}`]),
    ...(text === undefined ? [] : [`(a.act || ' ' || a.subject) ilike ${put(`%${text.replace(/[\\%_]/g, '\\$&')}%`)}`]),
    ...(from === undefined ? [] : [`a.at >= ${put(from)}`]),
    ...(to === undefined ? [] : [`a.at < ${put(to)}`]),
  ];
  return { where, values };
}

const page = async (m: EntityManager, where: string[], order: string, limit: number, values: unknown[]): Promise<Found[]> =>
  (await m.query(
    `select a.id::int as id, a.at, a.who, a.act, a.subject, a.token, a.address, a.changes is not null and not exists (select 1 from audit u where u.undoes = a.id) as "canUndo"
     from audit a ${where.length ? `where ${where.join(' and ')}` : ''} order by ${order} limit ${limit}`,
    values,
  )) as Found[];
