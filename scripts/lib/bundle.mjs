import { existsSync, mkdirSync, renameSync, writeFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { basename, dirname, join, relative } from 'node:path';
import { pathToFileURL } from 'node:url';
import { root } from './install.mjs';

/** Sources know their place by `import.meta`, and keep it. */
const places = {
  name: 'places',
  setup({ onLoad }) {
    onLoad({ filter: /\.ts$/ }, async ({ path }) => {
      const text = await readFile(path, 'utf8');
      if (path.includes('/node_modules/') || !/import\.meta\.(url|dirname|filename)/.test(text)) return undefined;
      const of = { url: pathToFileURL(path).href, dirname: dirname(path), filename: path };
      return {
        contents: text.replace(/import\.meta\.(url|dirname|filename)/g, (_, what) => JSON.stringify(of[what])),
        loader: 'ts',
      };
    });
  },
};
/** Whether a part of ours has a package for itself, in another version than everybody else. */
const own = (importer, path) => {
  const [part] = /^(?:apps|packages)\/[^/]+/.exec(relative(root, importer)) ?? [];
  const name = path
    .split('/')
    .slice(0, path.startsWith('@') ? 2 : 1)
    .join('/');
  return part !== undefined && existsSync(join(root, part, 'node_modules', name));
};
/** Packages of others are loaded as they are; ours come along, with what they have for themselves. */
const ours = {
  name: 'ours',
  setup({ onResolve }) {
    onResolve({ filter: /^[^./]/ }, ({ path, kind, importer }) =>
      kind === 'entry-point' || path.startsWith('@praesidor/') || own(importer, path) ? undefined : { path, external: true },
    );
  },
};

/** Arguments for Node.js that run a TypeScript program of ours: as one script, or, where nothing can be written beside its sources, with a loader. */
export async function programOf(file) {
  try {
    return [await bundled(file)];
  } catch (e) {
    if (!['EACCES', 'EROFS', 'EPERM'].includes(e.code)) throw e;
    return ['--import', 'tsx', join(root, file)];
  }
}

/**
 * A TypeScript program of ours as one script beside its sources. With a loader for each module it would take three times as long to begin,
 * and seventy megabytes more while it runs. Made anew at every start: it takes a tenth of a second. Answers its path.
 */
async function bundled(file) {
  // The commands that install packages come before there are any.
  const { build } = await import('esbuild');
  const { outputFiles } = await build({
    entryPoints: [join(root, file)],
    bundle: true,
    write: false,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    logLevel: 'silent',
    plugins: [places, ours],
  });
  const folder = join(root, file.split('/').slice(0, 2).join('/'), 'dist');
  mkdirSync(folder, { recursive: true });
  const path = join(folder, `${basename(file, '.ts')}.mjs`);
  // Programs may start at once: each lays it whole.
  const temporary = `${path}.${process.pid}`;
  writeFileSync(temporary, outputFiles[0].text);
  renameSync(temporary, path);
  return path;
}
