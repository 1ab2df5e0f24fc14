import type { Way } from '@praesidor/core/images';
import type { RegistryAt } from '@praesidor/protocols/oci';
import type { OpenRoute } from '../../../carrier/carrier.ts';
import type { Context } from '../../../context.ts';

/** A way through the carrier, from a registry to another one or into cases. Whoever opens it closes it. */
export const openRoute = (
  ctx: Context,
  o: { source: RegistryAt; to?: RegistryAt; way?: Way | undefined; timezone?: string },
  signal: AbortSignal,
): Promise<OpenRoute> =>
  ctx.carrier.open(
    {
      source: placeOf(o.source),
      to: o.to && placeOf(o.to),
      detours: ctx.config.detours,
      way: o.way,
      timezone: o.timezone ?? 'UTC',
    },
    async (name) => (await ctx.dialer.locate(name, 443)).address,
    signal,
  );

const placeOf = ({ dialer, signal, ...place }: RegistryAt) => place;
