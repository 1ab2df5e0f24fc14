import type { Way } from '@praesidor/core/images';
import { type AddressMapping, ProtocolError, type ProtocolFault } from '@praesidor/protocols/dial';
import type { RegistryAt } from '@praesidor/protocols/oci';
import { type Carriage, Closed, type Fetch } from '@praesidor/shipping';

/** A registry as the transfer process is told of it: it dials by itself. */
export type Place = Omit<RegistryAt, 'dialer' | 'signal' | 'leash'>;
export interface Route {
  source: Place;
  /** Not given: what is read goes into cases. */
  to?: Place | undefined;
  addressMap: readonly AddressMapping[];
  /** The way whose rate and hours are kept, all blobs of the route together. */
  way?: Way | undefined;
  timezone: string;
}

/** To the transfer process. `route` numbers what was opened, `id` a blob on its way, `call` a question of the transfer process's. */
export type TransferCommand =
  | { do: 'open'; route: number; what: Route }
  | { do: 'carry'; route: number; id: number; what: Carriage }
  | { do: 'fetch'; route: number; id: number; what: Fetch }
  | { do: 'stop'; route: number }
  | { do: 'answer'; call: number; value?: string; fault?: Fault };
/** From the transfer process. */
export type TransferEvent =
  | { id: number; bytes: number }
  | { id: number; cut: true }
  | { id: number; wrong: true }
  | { id: number; done: string }
  | { id: number; fault: Fault }
  | { call: number; route: number; address: string }
  | { call: number; id: number; opened: string };

/** What went wrong, without what does not cross between processes: classes. */
export type Fault =
  | { is: 'closed'; until: string }
  | { is: 'protocol'; fault: ProtocolFault; where: string; detail: string; status?: number; retryAfter?: number }
  | { is: 'other'; message: string };

export function faultOf(e: unknown): Fault {
  if (e instanceof Closed) return { is: 'closed', until: e.until };
  if (e instanceof ProtocolError)
    return {
      is: 'protocol',
      fault: e.fault,
      where: e.where,
      detail: e.detail,
      ...(e.status === undefined ? {} : { status: e.status }),
      ...(e.retryAfter === undefined ? {} : { retryAfter: e.retryAfter }),
    };
  return { is: 'other', message: (e as Error)?.message ?? String(e) };
}
export function errorOf(f: Fault): Error {
  if (f.is === 'closed') return new Closed(f.until);
  if (f.is === 'protocol') return new ProtocolError(f.fault, f.where, f.detail, f.status, f.retryAfter);
  return new Error(f.message);
}
