import { createHash } from 'node:crypto';
import type { FastifyReply, FastifyRequest } from 'fastify';
import type { DataSource } from 'typeorm';
import type { ActName } from '@praesidor/core/access';
import { Refusal } from '../refusal.ts';

declare module 'fastify' {
  interface FastifyRequest {
    /** The row of its idempotency key, where its answer is to be kept. */
    once?: { login: string; key: string } | undefined;
  }
}

const longest = 200;
/** Answers that are larger are not kept: whoever asks again is told so. */
const mostKept = 1_000_000;
/** Acts whose answers are told once, or that carry what nobody is to keep: passwords, tokens, keys. They are not done by a key. */
const toldOnce: ReadonlySet<ActName> = new Set([
  'account.own',
  'accounts.manage',
  'keyring.change',
  'registries.kit',
  'trust.change',
]);
interface Row {
  asked: string;
  status: number | null;
  answer: string | null;
}

/**
 * An act that is asked for twice with one `Idempotency-Key` is done once: the second time the first answer is given again. Kept for a day, of each account by itself. Of one that has not
 * ended, or whose server was killed before its answer was kept, it is said that nobody knows: it is not done again.
 */
export class Once {
  constructor(private readonly db: DataSource) {}

  /** @returns true: it has been answered, with what was answered the first time @throws Refusal */
  async begin(req: FastifyRequest, reply: FastifyReply): Promise<boolean> {
    const key = req.headers['idempotency-key'];
    if (key === undefined || req.method === 'GET' || req.method === 'HEAD') return false;
    if (typeof key !== 'string' || !/^[\x21-\x7e]+$/.test(key) || key.length > longest)
      throw new Refusal('invalid', `Idempotency-Key is a text of printable characters without spaces, ${longest} at the most.`);
    const act = req.routeOptions.config?.act;
    if (act && toldOnce.has(act))
      throw new Refusal('invalid', 'This act is not done by a key: what it is told, or answers, is kept nowhere.', {
        remedy: 'Send it without Idempotency-Key.',
      });
    const asked = createHash('sha256')
      .update(JSON.stringify([req.method, req.url, req.body ?? null]))
      .digest('hex');
    const { login } = req.who;
    const fresh = (await this.db.query(
      `with old as (delete from asked_once where at < now() - interval '1 day')
       insert into asked_once (login, key, asked) values ($1, $2, $3) on conflict (login, key) do nothing returning key`,
      [login, key, asked],
    )) as unknown[];
    if (fresh.length) {
      req.once = { login, key };
      return false;
    }
    const [row] = (await this.db.query('select asked, status, answer from asked_once where login = $1 and key = $2', [
      login,
      key,
    ])) as Row[];
    if (row && row.asked !== asked)
      throw new Refusal('invalid', `The key ${key} was used for something else.`, {
        remedy: 'Use a key of its own for each act.',
      });
    if (row?.status && row.answer === null)
      throw new Refusal('not-now', `What was asked for with the key ${key} was done; its answer was too large to be kept.`, {
        remedy: 'Look at what it made.',
      });
    if (!row || row.status === null || row.answer === null)
      throw new Refusal('not-now', `What was asked for with the key ${key} has not been answered yet.`, {
        remedy: 'Wait, and ask again; where it stays so, look whether it was done, and use another key.',
      });
    reply
      .header('idempotency-replayed', 'true')
      .header('content-type', 'application/json; charset=utf-8')
      .status(row.status)
      .send(row.answer as never);
    return true;
  }

  /**
   * Keeps what is answered. What was refused may be asked for again with the same key: it was not done. Of a failure nobody knows, and the key stays taken. That nothing could be kept changes
   * nothing of the answer: the act is done.
   */
  async end(req: FastifyRequest, status: number, answer: unknown): Promise<void> {
    const { once } = req;
    if (!once) return;
    req.once = undefined;
    if (status >= 500) return;
    const kept = typeof answer === 'string' && answer.length <= mostKept ? answer : null;
    await (status >= 400
      ? this.db.query('delete from asked_once where login = $1 and key = $2', [once.login, once.key])
      : this.db.query('update asked_once set status = $3, answer = $4 where login = $1 and key = $2', [
          once.login,
          once.key,
          status,
          kept,
        ])
    ).catch(() => undefined);
  }
}
