import pg from 'pg';

/**
 * A connection to PostgreSQL of which a pool may lose sight. Between the moment a pool hands a new one out and the moment
 * its user listens, PostgreSQL may end it in the same packet that opened it; an error that nobody listens for would end
 * the process. The next statement over it fails, which is how its user learns of it.
 */
export class HeardClient extends pg.Client {
  constructor(config?: string | pg.ClientConfig) {
    super(config);
    this.on('error', () => undefined);
  }
}
