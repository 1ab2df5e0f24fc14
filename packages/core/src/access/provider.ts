import { z } from 'zod';
import { Line, Name, Pem } from '../model/words.ts';

/** Who says who somebody is, beside the passwords of this installation (OpenID Connect Core 1.0). Of this installation, and no part of the plan. */
export const SignInProvider = z.strictObject({
  /** How it is called where people sign in. */
  title: Line(40, 1),
  /** What its tokens name as their issuer; its description lies below it (OpenID Connect Discovery 1.0, section 4). */
  issuer: z
    .url({ protocol: /^https$/, error: 'an address such as https://id.example.example' })
    .max(300)
    .refine((u) => !/[?#]/.test(u), 'an address without ? and #'),
  /** The name that the provider knows this installation by. */
  client: Line(200, 1),
  /** The keyring entry with the secret that goes with that name; without one the provider takes none. */
  credential: Name.optional(),
  /** The authority that its certificate is checked against. */
  ca: Pem,
  /** The claim that says somebody's login here. */
  claim: z
    .string()
    .regex(/^[A-Za-z][\w.:/-]{0,79}$/, 'the name of a claim, such as preferred_username')
    .default('preferred_username'),
  /** What becomes of somebody who has no account: refused, or an account that looks. */
  newcomers: z.enum(['refused', 'reader']).default('refused'),
});
export type SignInProvider = z.infer<typeof SignInProvider>;

/** Host and port of an address. */
export const portedHost = (url: string): { host: string; port: number } => {
  const u = new URL(url);
  return { host: u.hostname.replace(/^\[|\]$/g, ''), port: Number(u.port || 443) };
};
