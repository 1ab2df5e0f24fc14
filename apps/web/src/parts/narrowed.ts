/** What a view is narrowed to, as it stands in its address: the named values alone, in one order. */
export function narrowed(params: URLSearchParams, keys: readonly string[]): string {
  const out = new URLSearchParams();
  for (const k of keys) {
    const value = params.get(k);
    if (value) out.set(k, value);
  }
  return out.toString();
}
