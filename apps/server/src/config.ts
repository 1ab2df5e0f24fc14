import { X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { parsePrefix, prefixRange, type Range } from '@praesidor/core/address';
import { type AddressMapping, parseAddressMap } from '@praesidor/protocols/dial';
import { type Rate, usualRates } from './auth/rate.ts';

/** What the process is told at its start. Nothing reads the environment later. */
export interface Config {
  /** What the process does: serve people and machines, and share the work; or share the work alone. A server where nothing is said. */
  role?: 'server' | 'worker';
  databaseUrl: string;
  port: number;
  host: string;
  /** Where machines reach this server. */
  publicUrl: string;
  /** The authority that they check it against over TLS, as it stands in its file (PEM); without it, one that they know by themselves. */
  urlAuthority?: string;
  dataDir: string;
  /** Port of TFTP for hosts that start by PXE (69 is what firmware asks); without it there is none. */
  tftpPort?: number;
  /** The iPXE program for x86-64 that it serves. */
  pxeProgram: string;
  webDir?: string;
  keyringKey: Buffer;
  addressMap: AddressMapping[];
  /** Ranges that may be connected to although they are this machine's or its link's. */
  alsoReach: Range[];
  /** Proxies in front, by address or prefix: what they say of who asks is believed. */
  trustProxy: string[];
  /** The program that makes a PDF of a page; Chromium by its name where nothing is said. */
  chromium?: string;
  /** Address of the proving ground's door, where there is one. */
  provingUrl?: string;
  /** Shortest time in seconds that a build waits for a device before it calls a step failed. */
  timeoutSeconds: number;
  /** Seconds between looks at served zones and registries. */
  watch: number;
  /** Milliseconds after which it is looked again for what is due; a minute where nothing is said. */
  minuteMs?: number;
  /** How often a token is answered. */
  tokenRates?: Readonly<Record<'reads' | 'writes', Rate>>;
  secureCookies: boolean;
  /** False: what was just declared waits for the next round of looks. For tests that set what was seen. */
  looksAtOnce?: boolean;
  /** Answers are held against the schema of their route; one that differs is an error. For tests. */
  checkAnswers?: boolean;
  logLevel: string;
}

const list = (text: string | undefined) => (text ?? '').split(/[\s,;]+/).filter(Boolean);

/** @throws Error unless the file has one certificate of an authority */
function authority(path: string): string {
  try {
    const pem = readFileSync(path, 'utf8');
    if (!new X509Certificate(pem).ca) throw new Error('it is not that of an authority');
    return pem;
  } catch (e) {
    throw new Error(`PRAESIDOR_URL_CA must be a file with a certificate in PEM: ${(e as Error).message}`);
  }
}

/** @throws Error naming the variable that is missing or wrong. */
export function readConfig(env: NodeJS.ProcessEnv): Config {
  const need = (name: string) => {
    const v = env[name];
    if (!v) throw new Error(`${name} is not set; docs/operations.md says what belongs there`);
    return v;
  };
  const key = Buffer.from(need('PRAESIDOR_KEY'), 'hex');
  if (key.length !== 32) throw new Error('PRAESIDOR_KEY must be 64 hex digits: the key of the keyring');
  const port = Number(env.PORT ?? 8080);
  if (!Number.isInteger(port) || port < 0 || port > 65535) throw new Error('PORT must be a port number');
  const tftp = env.PRAESIDOR_TFTP_PORT ? Number(env.PRAESIDOR_TFTP_PORT) : undefined;
  if (tftp !== undefined && (!Number.isInteger(tftp) || tftp < 0 || tftp > 65535))
    throw new Error('PRAESIDOR_TFTP_PORT must be a port number');
  const timeoutSeconds = Number(env.PRAESIDOR_TIMEOUT ?? 30);
  if (!(timeoutSeconds > 0)) throw new Error('PRAESIDOR_TIMEOUT must be a number of seconds');
  const watch = Number(env.PRAESIDOR_WATCH ?? 30);
  if (!(watch >= 1)) throw new Error('PRAESIDOR_WATCH must be a number of seconds, 1 or more');
  const role = env.PRAESIDOR_ROLE || 'server';
  if (role !== 'server' && role !== 'worker') throw new Error('PRAESIDOR_ROLE must be server or worker');
  const rate = (name: string, usual: number): Rate => {
    const perSecond = Number(env[name] ?? usual);
    if (!(perSecond >= 1)) throw new Error(`${name} must be a number of requests a second, 1 or more`);
    return { perSecond, atOnce: 2 * perSecond };
  };
  // Machines are told where a server is: a worker does not serve them.
  if (role === 'worker') need('PRAESIDOR_URL');
  return {
    role,
    databaseUrl: need('DATABASE_URL'),
    port,
    host: env.HOST ?? '127.0.0.1',
    publicUrl: (env.PRAESIDOR_URL ?? `http://127.0.0.1:${port}`).replace(/\/$/, ''),
    ...(env.PRAESIDOR_URL_CA ? { urlAuthority: authority(env.PRAESIDOR_URL_CA) } : {}),
    dataDir: env.PRAESIDOR_DATA ?? '.praesidor/data',
    ...(tftp === undefined ? {} : { tftpPort: tftp }),
    pxeProgram: env.PRAESIDOR_PXE_PROGRAM ?? '/usr/lib/ipxe/snponly.efi',
    ...(env.PRAESIDOR_CHROMIUM ? { chromium: env.PRAESIDOR_CHROMIUM } : {}),
    ...(env.PRAESIDOR_WEB ? { webDir: env.PRAESIDOR_WEB } : {}),
    keyringKey: key,
    addressMap: parseAddressMap(env.PRAESIDOR_ADDRESS_MAP),
    alsoReach: list(env.PRAESIDOR_ALSO_REACH).map((p) => prefixRange(parsePrefix(p))),
    trustProxy: list(env.PRAESIDOR_TRUST_PROXY),
    ...(env.PROVING_URL ? { provingUrl: env.PROVING_URL } : {}),
    timeoutSeconds,
    watch,
    tokenRates: {
      reads: rate('PRAESIDOR_TOKEN_READS', usualRates.reads.perSecond),
      writes: rate('PRAESIDOR_TOKEN_WRITES', usualRates.writes.perSecond),
    },
    secureCookies: env.PRAESIDOR_SECURE_COOKIES === 'yes',
    logLevel: env.LOG_LEVEL ?? 'warn',
  };
}
