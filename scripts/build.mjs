#!/usr/bin/env node
/* `npm run build`: the interface, where its sources have changed since the last time. */
import { checkNode, web } from './lib/install.mjs';

checkNode();
await web();
