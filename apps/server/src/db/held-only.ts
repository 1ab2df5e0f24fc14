/** Milliseconds after which PostgreSQL takes a connection for dead whose other end says nothing, not even that it lives. */
const silentAfter = 4000;

/**
 * How every connection to PostgreSQL is made: what it holds (rows, advisory locks) is held only while its process is there.
 * A process that dies closes its connections, and PostgreSQL learns of it at once. A machine that loses power, or its
 * network, closes nothing: without these settings PostgreSQL waits two hours for it (tcp_keepalives_idle of the system,
 * RFC 1122 §4.2.3.6), and nobody else goes on with what it was at.
 */
export const heldOnly = {
  keepAlive: true,
  options: `-c tcp_keepalives_idle=1 -c tcp_keepalives_interval=1 -c tcp_keepalives_count=${silentAfter / 1000 - 1} -c tcp_user_timeout=${silentAfter}`,
} as const;
