#!/usr/bin/env node
/* `npm run bench`: every figure, with its reference measured in the same run. */
import { withDatabase } from './lib/with-database.mjs';

await withDatabase('bench/bench.ts');
