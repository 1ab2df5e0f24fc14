import { addresses } from './addresses.ts';
import { backups } from './backups.ts';
import { buildsAtOnce } from './builds.ts';
import { bundles } from './bundles.ts';
import { changes } from './changes.ts';
import { estimates } from './estimates.ts';
import { estate } from './estate.ts';
import { ground } from './ground.ts';
import { hosts } from './hosts.ts';
import { imagesBench } from './images.ts';
import { kits } from './kits.ts';
import { large } from './large.ts';
import { rows } from './measure.ts';
import { newSites } from './new-sites.ts';
import { pipeline } from './pipeline.ts';
import { reach } from './reach.ts';
import { rehearse } from './rehearse.ts';
import { rollout } from './rollout.ts';
import { servers } from './servers.ts';
import { sheet } from './sheet.ts';
import { shell } from './shell.ts';
import { slice } from './slice.ts';
import { use } from './use.ts';

/** The benchmarks by name; `npm run bench -- addresses` runs one of them. A new one is a file and a line. */
const all = {
  addresses,
  backups,
  builds: buildsAtOnce,
  bundles,
  changes,
  estate,
  estimates,
  ground,
  hosts,
  images: imagesBench,
  kits,
  large,
  'new-sites': newSites,
  pipeline,
  reach,
  rehearse,
  rollout,
  servers,
  sheet,
  shell,
  slice,
  use,
};
const wanted = process.argv.slice(2);
const unknown = wanted.find((w) => !Object.hasOwn(all, w));
if (unknown) {
  process.stderr.write(`There is no benchmark ${unknown}; there are ${Object.keys(all).join(', ')}.\n`);
  process.exit(2);
}
for (const [name, run] of Object.entries(all)) if (!wanted.length || wanted.includes(name)) await run();
process.stdout.write(`\n${rows.filter((r) => r.good).length} of ${rows.length} reached\n`);
process.exit(0);
