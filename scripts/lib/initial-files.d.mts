/** A file has a body, or is copied `from` a path; without either it is a folder. */
export function writeInitialFiles(
  path: string,
  files: readonly { path: string; mode: number; body?: string | Buffer; from?: string }[],
): void;
