import { stringify } from 'yaml';
/** One value in each format that has no serialiser of a package: whatever it holds, it is read as that value and nothing more. */

/** A word of a POSIX shell. */
export const shell = (text: string): string =>
  /^[A-Za-z0-9_./:@%+=,-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;

/** A line of a systemd environment file, which a shell may source too: in double quotes, what either would expand escaped. */
export const environment = (name: string, value: string): string => `${name}="${value.replace(/[\\"$`]/g, '\\$&')}"`;

/** Text within a line of Markdown: what would begin a table cell, a link, a heading or a tag stands as itself. */
export const markdown = (text: string): string => text.replace(/[\\`*_{}[\]<>()#+!|~&-]/g, '\\$&');

/** Address and port as they stand in a URL: an IPv6 address in brackets (RFC 3986 §3.2.2). */
export const hostPort = (address: string, port: number): string =>
  address.includes(':') ? `[${address}]:${port}` : `${address}:${port}`;

/** YAML of a value, lines as long as they are; what stands twice is written twice, since not every reader follows a reference. */
export const yaml = (value: unknown): string => stringify(value, { lineWidth: 0, aliasDuplicateObjects: false });
