import { formatIp, isIp, parseIp } from '../address/parse.ts';

/** Parameters of SVCB and HTTPS records (RFC 9460 §7, §14.3.2): their numbers by name. */
export const paramCodes: Readonly<Record<string, number>> = {
  mandatory: 0,
  alpn: 1,
  'no-default-alpn': 2,
  port: 3,
  ipv4hint: 4,
  ech: 5,
  ipv6hint: 6,
};
export const paramCode = (name: string): number | undefined =>
  paramCodes[name] ?? (/^key\d{1,5}$/.test(name) && Number(name.slice(3)) < 65_535 ? Number(name.slice(3)) : undefined);
export const paramName = (code: number): string => Object.entries(paramCodes).find(([, c]) => c === code)?.[0] ?? `key${code}`;

export interface Param {
  name: string;
  /** Text of the value, quotes taken off; undefined where none is given. */
  value: string | undefined;
}
const read = (word: string): Param => {
  const eq = word.indexOf('=');
  const value = eq < 0 ? undefined : word.slice(eq + 1).replace(/^"(.*)"$/, '$1');
  return { name: (eq < 0 ? word : word.slice(0, eq)).toLowerCase(), value };
};
/** Words joined again where a quoted value was cut off its name: `alpn=` and `h2,h3`. */
function joined(words: readonly string[]): string[] {
  const out: string[] = [];
  for (const w of words)
    if (out.at(-1)?.endsWith('=')) out[out.length - 1] += w.replace(/^"(.*)"$/, '$1');
    else out.push(w);
  return out;
}

/** What is wrong with a parameter's value; undefined: nothing. */
function valueFault({ name, value }: Param): string | undefined {
  const list = value?.split(',') ?? [];
  switch (name) {
    case 'no-default-alpn':
      return value === undefined ? undefined : 'no-default-alpn takes no value';
    case 'mandatory':
      return list.length &&
        list.every((n) => paramCode(n) !== undefined && n !== 'mandatory') &&
        new Set(list).size === list.length
        ? undefined
        : 'mandatory takes names of other parameters, each once';
    case 'alpn':
      return list.length && list.every((p) => p && p.length <= 255) ? undefined : 'alpn takes protocols with commas between';
    case 'port':
      return /^\d{1,5}$/.test(value ?? '') && Number(value) <= 65_535 ? undefined : 'port takes a number from 0 to 65535';
    case 'ipv4hint':
      return list.length && list.every((a) => !a.includes(':') && isIp(a))
        ? undefined
        : 'ipv4hint takes IPv4 addresses with commas between';
    case 'ipv6hint':
      return list.length && list.every((a) => a.includes(':') && isIp(a))
        ? undefined
        : 'ipv6hint takes IPv6 addresses with commas between';
    case 'ech':
      return /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(value ?? '') && value
        ? undefined
        : 'ech takes base64';
    default:
      return undefined;
  }
}

export function paramFault(words: readonly string[]): { message: string; at: number } | undefined {
  const seen = new Set<string>();
  const params = joined(words).map(read);
  for (const [at, p] of params.entries()) {
    if (paramCode(p.name) === undefined) return { message: `${p.name} is not a parameter that is known`, at };
    if (seen.has(p.name)) return { message: `${p.name} is listed twice`, at };
    seen.add(p.name);
    const fault = valueFault(p);
    if (fault) return { message: fault, at };
  }
  const wants = params.find((p) => p.name === 'mandatory')?.value?.split(',') ?? [];
  const lacking = wants.find((w) => !seen.has(w));
  if (lacking) return { message: `mandatory names ${lacking}, which is not there`, at: 0 };
  return seen.has('no-default-alpn') && !seen.has('alpn') ? { message: 'no-default-alpn needs alpn', at: 0 } : undefined;
}

/** Parameters in the order of their numbers, as they stand on the wire. */
export function readParams(text: string): Param[] {
  const words = text.match(/(?:[^\s"]|"(?:\\.|[^"\\])*")+/g) ?? [];
  return joined(words)
    .map(read)
    .sort((a, b) => (paramCode(a.name) ?? 0) - (paramCode(b.name) ?? 0));
}
export function writeParams(params: readonly Param[]): string {
  return params
    .map(({ name, value }) => {
      if (value === undefined) return name;
      const v =
        name === 'ipv6hint'
          ? value
              .split(',')
              .map((a) => formatIp(parseIp(a)))
              .join(',')
          : value;
      return /^[A-Za-z0-9.,:+/=_-]+$/.test(v) ? `${name}=${v}` : `${name}="${v}"`;
    })
    .join(' ');
}
export const paramNormal = (words: readonly string[]): string => writeParams(readParams(joined(words).join(' ')));
