#!/usr/bin/env node
/* `npm run docs`: writes what the docs say of the code (acts, findings, errors, formats) anew, between the marks of each page. Tests hold it. */
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');
const args = ['--conditions=@praesidor/source', '--import', 'tsx', join(root, 'scripts/lib/write-docs.ts')];
process.exit(spawnSync(process.execPath, args, { cwd: root, stdio: 'inherit' }).status ?? 1);
