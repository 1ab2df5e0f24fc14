import { parse as toml } from 'smol-toml';
import { parse as yaml } from 'yaml';

/** Files of simulated machines are read over and over and rarely change: what a text says is kept. Bounded; nobody may change what is answered. */
export function once<T>(read: (text: string) => T): (text: string) => T {
  const known = new Map<string, T>();
  return (text) => {
    if (known.has(text)) return known.get(text) as T;
    const value = read(text);
    if (known.size > 2000) known.clear();
    known.set(text, value);
    return value;
  };
}
export const parseYaml = once((text): unknown => yaml(text));
export const parseToml = once((text): unknown => toml(text));
