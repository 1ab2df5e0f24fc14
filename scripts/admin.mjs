#!/usr/bin/env node
/* `npm run admin`: accounts and keys on the machine of the server, over DATABASE_URL, or over what runs from this folder. */
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { checkNode, root, state } from './lib/install.mjs';
import { running } from './lib/secrets.mjs';

checkNode();
const env = { ...(process.env.DATABASE_URL ? {} : running(state)), ...process.env };
spawn(process.execPath, ['--import', 'tsx', join(root, 'apps/server/src/setup/admin.ts'), ...process.argv.slice(2)], {
  cwd: root,
  stdio: 'inherit',
  env,
}).once('exit', (code) => process.exit(code ?? 1));
