import { ProtocolError } from '@praesidor/protocols/dial';
import { Refusal } from '../refusal.ts';

interface PgError {
  code?: string;
  constraint?: string;
  detail?: string;
  driverError?: PgError;
}
export const pgError = (e: unknown): PgError => (e as PgError)?.driverError ?? (e as PgError);

/** A refusal by PostgreSQL or by a device in words; anything else is given back as it came. */
export function toRefusal(e: unknown): unknown {
  if (e instanceof ProtocolError) return new Refusal('unreachable', `${e.message}.`);
  if (isAway(e) && !(e instanceof Refusal))
    return new Refusal('away', 'The database does not answer. Whether a change that was under way is saved is not known.', {
      remedy: 'Wait a moment, look whether it is saved, then try again; Praesidor reconnects by itself.',
    });
  const { code, constraint, detail } = pgError(e) ?? {};
  if (code === '22021' || code === '22P05')
    return new Refusal('invalid', 'The text holds characters that cannot be kept (a NUL byte, or half of a character).');
  if (constraint === 'reservation_address_once')
    return new Refusal('held-twice', 'That address has just been reserved by somebody else.', {
      remedy: 'Take the next free one.',
    });
  if (constraint === 'reservation_inside_network') return new Refusal('invalid', 'The address lies outside its network.');
  if (constraint === 'reservation_in_child')
    return new Refusal('invalid', 'The address lies in a network that was carved out of this one.', {
      remedy: 'Reserve it in that network.',
    });
  if (constraint === 'span_inside_another')
    return new Refusal('invalid', 'A pool says that it lies inside another, and does not, or there is no such pool.', {
      remedy: 'Name the pool or DHCP scope around it, and keep its range within.',
    });
  if (constraint === 'spans_apart')
    return new Refusal('invalid', 'Two pools or DHCP scopes of this network overlap.', {
      remedy: 'Change one of the ranges so that no address is in both, or declare one inside the other.',
    });
  if (constraint === 'host_bmc_address_key') return new Refusal('invalid', 'Another host already has this BMC address.');
  if (constraint === 'host_seen_serial_key') return new Refusal('invalid', 'Another host already has this serial number.');
  if (constraint === 'run_exclusive')
    return new Refusal('not-now', 'A build of this cluster is already under way.', { remedy: 'Open it, or stop it first.' });
  if (code === '23503')
    return new Refusal('invalid', referenceText(detail), { remedy: 'Declare it first, or change what names it.' });
  if (code === 'ENOSPC' || code === 'EDQUOT')
    return new Refusal('not-now', 'The disk of this server is full. Nothing was taken in.', {
      remedy: 'Make room where PRAESIDOR_DATA lies; cases that have landed can be packed again.',
    });
  if (code === '23505')
    return new Refusal('conflict', duplicateText(detail), { remedy: 'Choose another, or open the one that is there.' });
  return e;
}
/** Tables that people know by another name. */
const called: Record<string, string> = { doc: 'document', build: 'build', reservation: 'reservation', account: 'account' };
const plain = (table: string) => called[table] ?? table.replaceAll('_', ' ');

/** What a reference that does not hold is about, from the database's own detail. */
export function referenceText(detail = ''): string {
  const absent = /^Key \((.+)\)=\((.*)\) is not present in table "(\w+)"/.exec(detail);
  if (absent) return `There is no ${plain(absent[3] ?? '')} ${absent[2]}.`;
  const used = /^Key \((.+)\)=\((.*)\) is still referenced from table "(\w+)"/.exec(detail);
  if (used) return `${used[2]} is still used by a ${plain(used[3] ?? '')}.`;
  return 'It names something that does not exist, or something still uses it.';
}
/** What exists already, from the database's own detail. */
export function duplicateText(detail = ''): string {
  const there = /^Key \((.+)\)=\((.*)\) already exists/.exec(detail);
  return there
    ? `There is one with ${(there[1] ?? '').replaceAll('_', ' ')} ${there[2]} already.`
    : 'There is one like it already.';
}
/**
 * Whether the database itself is away: SQLSTATE classes 08 and 57P, too many connections, or a socket that broke. What
 * failed for that is no fault of whatever was being done, and is done again when the database is back.
 */
export function isAway(e: unknown): boolean {
  if (e instanceof Refusal) return e.code === 'away';
  if (e instanceof ProtocolError) return false;
  const { code = '' } = pgError(e) ?? {};
  if (/^(08|57P|53300)/.test(code)) return true;
  if (['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT', 'ENOTFOUND', 'EAI_AGAIN'].includes(code)) return true;
  // The client of the database has no codes of its own for these.
  return /^(Connection terminated|timeout exceeded when trying to connect|Client has encountered a connection error|Connection ended)/.test(
    (e as Error)?.message ?? '',
  );
}
export const isRetry = (e: unknown) => ['40001', '40P01'].includes(pgError(e).code ?? '');
