/** DNS names as text: absolute, in lower case, without the final dot; the root is a dot alone where it stands in data. */

export const plainName = (name: string) => normalName(name.toLowerCase().replace(/(?<!\\)\.$/, ''));

/**
 * Escapes in one way of writing each (RFC 1035 §5.1): what needs none stands as it is, special characters behind a
 * backslash, everything else as three digits. `\097` is a.
 */
export function normalName(name: string): string {
  if (!name.includes('\\')) return name;
  return name.replace(/\\(\d{3}|[\s\S])/g, (_, c: string) => {
    const code = c.length === 3 ? Number(c) & 255 : c.charCodeAt(0);
    const text = String.fromCharCode(code).toLowerCase();
    if (/^[a-z0-9_*-]$/.test(text)) return text;
    return code > 32 && code < 127 ? `\\${text}` : `\\${String(code).padStart(3, '0')}`;
  });
}

/** A name as it stands in a master file, made absolute: `@` is the origin, without a final dot it is below it. */
export function absoluteName(word: string, origin: string): string {
  if (word === '@') return origin;
  const low = word.toLowerCase();
  if (low.charCodeAt(low.length - 1) === 46 && !endsEscaped(low)) return normalName(low.slice(0, -1));
  return normalName(origin ? `${low}.${origin}` : low);
}
/** Whether the final dot is part of its label: an odd number of backslashes stands before it. */
const endsEscaped = (name: string) => name.includes('\\') && /(?:^|[^\\])(?:\\\\)*\\\.$/.test(name);

/** What is wrong with a name's labels (RFC 1035 §2.3.4), or nothing. Escaped characters count as one. */
export function nameFault(name: string): string | undefined {
  if (name.length <= 63 && !name.includes('\\')) {
    // Short names can only have empty labels against them.
    const whole = name.charCodeAt(0) !== 46 && name.charCodeAt(name.length - 1) !== 46 && !name.includes('..');
    return name === '' || whole ? undefined : `${name} has an empty label`;
  }
  const bare = name.replace(/\\(\d{3}|.)/g, 'x');
  if (bare.length > 253) return `the name has ${bare.length} characters; 253 are allowed`;
  for (const label of bare.split('.')) {
    if (!label) return `${name.slice(0, 80)} has an empty label`;
    if (label.length > 63) return `the label ${label.slice(0, 20)}… has ${label.length} characters; 63 are allowed`;
  }
  return undefined;
}
