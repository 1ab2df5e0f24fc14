/** What a document is after a patch (JSON Merge Patch, RFC 7396). */
export function merged(target: unknown, patch: unknown): unknown {
  if (typeof patch !== 'object' || patch === null || Array.isArray(patch)) return patch;
  const out: Record<string, unknown> =
    typeof target === 'object' && target !== null && !Array.isArray(target) ? { ...target } : {};
  for (const [key, value] of Object.entries(patch))
    if (value === null) delete out[key];
    else out[key] = merged(out[key], value);
  return out;
}
