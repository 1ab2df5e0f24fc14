import { holds, isIp, parseIp, parsePrefix, prefixRange, type Range } from '@praesidor/core/address';
import { mapAddress, type AddressMapping } from './address-map.ts';
import { ProtocolError } from './errors.ts';

/** What a connection is made for; each goes only to what is declared for it. `own`: this installation, as machines reach it. */
export type Purpose =
  | 'controller'
  | 'hypervisor'
  | 'registry'
  | 'resolver'
  | 'zone'
  | 'cluster'
  | 'existing'
  | 'gateway'
  | 'store'
  | 'time'
  | 'notice'
  | 'sign-in'
  | 'own';
export interface Destination {
  purpose: Purpose;
  /** As it was declared: a name or an address. */
  host: string;
  /** The address that it has, as the plan writes it. */
  address: string;
  port: number;
  /** The operator's address mapping leads it elsewhere. */
  mapped: boolean;
}
/** Why a connection may not be made; undefined: it may. */
export type Policy = (to: Destination) => Promise<string | undefined> | string | undefined;

/** For programs that a person runs for themselves, and for tests: wherever they are told. */
export const anywhere: Policy = () => undefined;

const special: readonly [name: string, range: Range][] = (
  [
    ['loopback', '127.0.0.0/8'],
    ['loopback', '::1/128'],
    ['link-local', '169.254.0.0/16'],
    ['link-local', 'fe80::/10'],
    ['no address of one machine', '0.0.0.0/8'],
    ['no address of one machine', '::/128'],
    ['multicast', '224.0.0.0/4'],
    ['multicast', 'ff00::/8'],
    ['no address of one machine', '240.0.0.0/4'],
  ] as const
).map(([name, prefix]) => [name, prefixRange(parsePrefix(prefix))]);
const embedded = prefixRange(parsePrefix('::ffff:0:0/96'));

/** What an address is besides one of a machine (RFC 6890): loopback, link-local, multicast; undefined: nothing of the kind. */
export function specialUse(address: string): string | undefined {
  if (!isIp(address)) return 'no address';
  const a = parseIp(address);
  const v4 = holds(embedded, a) ? { v: 4 as const, n: a.n & 0xffffffffn } : a;
  return special.find(([, range]) => holds(range, v4))?.[0];
}

/**
 * Every way out of a process. It is closed unless its policy opens it: nothing is connected to before the policy has seen
 * the purpose, the declared host and its address. Mapped addresses are reached where the operator's setting says.
 */
export class Exits {
  constructor(
    readonly addressMap: readonly AddressMapping[],
    private readonly policy: Policy,
  ) {}

  /** Where a connection goes. @throws ProtocolError `kept-back` with why it may not be made */
  async to(purpose: Purpose, host: string, address: string, port: number): Promise<{ host: string; port: number }> {
    const at = mapAddress(this.addressMap, address, port);
    const why = await this.policy({ purpose, host, address, port, mapped: at.taken });
    if (why) throw new ProtocolError('kept-back', `${host}:${port}`, why);
    return { host: at.host, port: at.port };
  }
}
