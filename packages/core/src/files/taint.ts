/** A taint as the charter writes it, `key=value:Effect`, as the API has it. */
export function taintOf(text: string): { key: string; value?: string; effect: string } {
  const [, key = '', value, effect = ''] = /^([^=:]+)(?:=([^:]*))?:(\w+)$/.exec(text) ?? [];
  return { key, ...(value === undefined ? {} : { value }), effect };
}
