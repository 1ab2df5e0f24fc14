const half = 2 ** 31;
const whole = 2 ** 32;

/** Serial number arithmetic (RFC 1982 §3.2): whether `a` comes after `b`. */
export const serialAfter = (a: number, b: number): boolean => a !== b && (a > b ? a - b < half : b - a > half);

/**
 * The serial behind the one that is served: today's date with two digits (RFC 1912 §2.2) where that comes after
 * it, else the next number. `today` is an ISO 8601 moment.
 */
export function nextSerial(served: number, today: string): number {
  const dated = Number(`${today.slice(0, 10).replaceAll('-', '')}00`);
  return serialAfter(dated, served) ? dated : (served + 1) % whole;
}
