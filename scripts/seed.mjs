#!/usr/bin/env node
/* `npm run seed -- --hosts N --sites N [--seed N] --out FOLDER | --database URL`: a generated estate, the same for the same numbers. */
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, modules, root } from './lib/install.mjs';

checkNode();
await modules();
const args = ['--conditions=@praesidor/source', '--import', 'tsx', join(root, 'scripts/lib/seed.ts'), ...process.argv.slice(2)];
process.exit(spawnSync(process.execPath, args, { cwd: root, stdio: 'inherit' }).status ?? 1);
