import type { DataSource } from 'typeorm';
import type { Role } from '@praesidor/core/access';

export interface Who {
  login: string;
  name: string;
  role: Role;
  csrf: string;
  /** Number of the session, which is no secret. */
  session: string;
}
interface Waiting {
  hash: string;
  done: (who: Who | undefined) => void;
  fail: (e: unknown) => void;
}

/**
 * Looks sessions up. Requests that come while a look-up is under way wait for the next one and share it, so that a
 * hundred clients cost one query and not a hundred; nobody is let in by what was read before they asked.
 */
export class Sessions {
  private waiting: Waiting[] = [];
  private busy = false;
  constructor(private readonly db: DataSource) {}

  find(hash: string): Promise<Who | undefined> {
    return new Promise((done, fail) => {
      this.waiting.push({ hash, done, fail });
      if (!this.busy) void this.look();
    });
  }

  private async look(): Promise<void> {
    this.busy = true;
    while (this.waiting.length) {
      const batch = this.waiting;
      this.waiting = [];
      try {
        const rows = (await this.db.manager.query(
          "with seen as (update session set seen_at = now() where token_hash = any($1) and seen_at < now() - interval '1 minute') select s.token_hash as hash, s.id as session, a.login, a.name, a.role, s.csrf from session s join account a on a.login = s.login where s.token_hash = any($1) and s.expires_at >= now() and not a.disabled",
          [[...new Set(batch.map((w) => w.hash))]],
        )) as (Who & { hash: string })[];
        const found = new Map(rows.map(({ hash, ...who }) => [hash, who]));
        for (const w of batch) w.done(found.get(w.hash));
      } catch (e) {
        for (const w of batch) w.fail(e);
      }
    }
    this.busy = false;
  }
}
