#!/usr/bin/env node
/* `npm run shots`: renews docs/screenshots from the demonstration's data. */
import { withDatabase } from './lib/with-database.mjs';

await withDatabase('e2e/shots.ts');
