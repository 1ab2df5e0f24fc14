import { z } from 'zod';

/** An AS number that routers take: not 0 (RFC 7607), not 23456 (RFC 6793), not the last of 16 or 32 bits (RFC 7300). */
export const AsNumber = z
  .number()
  .int()
  .min(1)
  .max(4294967294)
  .refine(
    (n) => n !== 23456 && n !== 65535,
    'is kept for other uses: take one of 64512 to 65534, or of 4200000000 to 4294967294',
  );
