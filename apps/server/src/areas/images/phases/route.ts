import type { Way } from '@praesidor/core/images';
import { endpointOf } from '@praesidor/protocols/dial';
import type { RegistryAt } from '@praesidor/protocols/oci';
import type { OpenRoute } from '../../../transfer/transfer-process.ts';
import type { Context } from '../../../context.ts';

/** A way through the transfer process, from a registry to another one or into cases. Whoever opens it closes it. */
export const openRoute = (
  ctx: Context,
  o: { source: RegistryAt; to?: RegistryAt; way?: Way | undefined; timezone?: string },
  signal: AbortSignal,
): Promise<OpenRoute> =>
  ctx.transfer.open(
    {
      source: placeOf(o.source),
      to: o.to && placeOf(o.to),
      addressMap: ctx.config.addressMap,
      way: o.way,
      timezone: o.timezone ?? 'UTC',
    },
    async (endpoint) => {
      // Names are looked up here, where it is known what may be connected to, and where credentials may go.
      const registry = [o.source, o.to].find((r) => r && endpointOf(r.endpoint).host === endpoint);
      return (await ctx.dialer.locate({ purpose: 'registry', host: endpoint, port: 443, leash: registry?.leash })).address;
    },
    signal,
  );

const placeOf = ({ dialer, signal, leash, ...place }: RegistryAt) => place;
