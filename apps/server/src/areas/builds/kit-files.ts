import { gunzipSync } from 'node:zlib';

/** Files of a kit as a change keeps them (`build_kit.files`), by path. */
export const kitFiles = (kept: Buffer): Record<string, string> =>
  JSON.parse(gunzipSync(kept).toString()) as Record<string, string>;
